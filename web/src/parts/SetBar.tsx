/** How pictures divide into the three sets: solid training, hatched validation, dotted test, empty for none. */
import type { SetName } from "../api/client";

interface Props {
  counts: Record<SetName | "none", number>;
  /** The whole that the bar's full width stands for; its own total when left out. */
  whole?: number;
  height?: number;
}

export function SetBar({ counts, whole, height = 8 }: Props) {
  const total = whole ?? counts.training + counts.validation + counts.test + counts.none;
  const words = `${counts.training} training, ${counts.validation} validation, ${counts.test} test, ${counts.none} in no set`;
  const part = (count: number) => `${total ? (100 * count) / total : 0}%`;
  return (
    <div role="img" aria-label={words} title={words} className="flex w-full bg-sunken" style={{ height }}>
      <span style={{ width: part(counts.training), background: "var(--training)" }} />
      <span
        className="foot-validation"
        style={{ width: part(counts.validation), backgroundColor: "var(--edge)" }}
      />
      <span
        className="foot-test"
        style={{ width: part(counts.test), backgroundColor: "var(--edge)", opacity: 0.75 }}
      />
    </div>
  );
}
