/** How many files have been sent, and the way to stop. */
import { Button } from "../../parts/Button";
import { ProgressBar } from "../../parts/ProgressBar";
import type { Sending } from "./useSending";

export function SendingLine({ sending, onStop }: { sending: Sending; onStop: () => void }) {
  return (
    <div className="flex items-center gap-2" role="status">
      <span className="whitespace-nowrap">
        Sending {sending.sent} of {sending.total}
      </span>
      <ProgressBar done={sending.sent} total={sending.total} label="Sending files" />
      <Button onClick={onStop}>Stop</Button>
    </div>
  );
}
