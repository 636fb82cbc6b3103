/** How far a job is; without a total it only says that it is under way. */
export function ProgressBar({ done, total, label }: { done: number; total: number; label: string }) {
  const share = total ? Math.min(1, done / total) : 0;
  return (
    <div
      role="progressbar"
      aria-label={label}
      aria-valuemin={0}
      aria-valuemax={100}
      aria-valuenow={Math.round(share * 100)}
      className="h-1.5 w-full bg-sunken"
    >
      <div
        className="h-full bg-choice transition-[width] duration-150"
        style={{ width: `${share * 100}%` }}
      />
    </div>
  );
}
