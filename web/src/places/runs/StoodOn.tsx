/** What a run stood on, in the columns of the Run sheet above it, with what that has otherwise now. */
import type { Run } from "../../api/client";
import { useHoldings } from "../../api/runQueries";
import type { StoodOnPart } from "../../domain/stoodOn";
import { bytes, duration, moment, plural } from "../../domain/words";
import { BAND } from "./Part";

const LINK = "block min-h-6 cursor-pointer text-choice underline";

interface Props {
  run: Run;
  parts: readonly StoodOnPart[];
  onTakeOver: () => void;
  /** Puts the Run sheet back as it was before it took a run's ingredients over. */
  onBack: (() => void) | undefined;
}

export function StoodOn({ run, parts, onTakeOver, onBack }: Props) {
  const differs = parts.some((part) => part.now);
  return (
    <dl aria-label={`What run ${run.number} stood on`} className={`${BAND} bg-sunken`} data-testid="stood-on">
      {parts.map((part) => (
        <div key={part.title} className="min-w-0 border-r border-hairline px-3 py-1.5 text-sm">
          <dt className="sr-only">{part.title}</dt>
          <dd>
            <span className="line-clamp-2" title={part.words}>
              {part.words}
            </span>
            {part.now && (
              <span className="line-clamp-2 font-semibold text-choice" title={part.now}>
                now: {part.now}
              </span>
            )}
          </dd>
        </div>
      ))}
      <div className="min-w-0 px-3 py-1.5 text-sm">
        <dt className="sr-only">Time and files</dt>
        <dd>
          <Facts run={run} />
          {differs ? (
            <button type="button" className={LINK} onClick={onTakeOver}>
              Take over to the Run sheet
            </button>
          ) : (
            onBack && (
              <button type="button" className={LINK} onClick={onBack}>
                Back to what was there
              </button>
            )
          )}
        </dd>
      </div>
    </dl>
  );
}

function Facts({ run }: { run: Run }) {
  const { data: held } = useHoldings(run.id);
  const time = run.train_s === null ? "" : `, trained ${duration(run.train_s)}`;
  const packs = held?.packs ? ` and ${plural(held.packs, "pack")}` : "";
  return (
    <span
      className="line-clamp-2 text-quiet"
      title={`Begun ${moment(run.created_at)} by version ${run.program}${held ? `; ${bytes(held.weights_bytes)} of weights, ${bytes(held.packs_bytes)} of packs` : ""}`}
    >
      {moment(run.created_at)}
      {time}
      {held &&
        held.weights_bytes > 0 &&
        `, ${bytes(held.weights_bytes + held.packs_bytes)} of weights${packs}`}
    </span>
  );
}
