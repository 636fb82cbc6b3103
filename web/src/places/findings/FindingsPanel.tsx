/** Everything that checks of the data turned up, in the order of what it costs; beside the field that shows it. */
import { useState } from "react";
import { Link } from "react-router";
import type { FindingLine, Findings, Job } from "../../api/client";
import { useAddress } from "../../app/context";
import { ALL_FOUND, answersWords, foldsWords, kindOf, partedLines, toSettle } from "../../domain/findings";
import { jobWords } from "../../domain/jobs";
import { plural } from "../../domain/words";
import { Button } from "../../parts/Button";
import { ProgressBar } from "../../parts/ProgressBar";
import { Reading } from "../../parts/States";
import { OpenFinding } from "./OpenFinding";
import { type Settling, useSettling } from "./useSettling";

interface Props {
  projectId: number;
  findings: Findings | undefined;
  sift: string;
  /** The search that goes on now. */
  looking: Job | undefined;
}

export function FindingsPanel({ projectId, findings, sift, looking }: Props) {
  const settling = useSettling(projectId);
  return (
    <aside
      aria-label="Findings"
      data-testid="findings"
      className="flex w-[344px] shrink-0 flex-col border-r border-hairline"
    >
      {looking && (
        <div role="status" className="border-b border-hairline px-3 py-2">
          <p className="mb-1 text-sm">{jobWords(looking)}</p>
          <ProgressBar done={looking.done} total={looking.total} label={looking.title} />
        </div>
      )}
      {!findings ? (
        <Reading what="what was found" />
      ) : findings.looked_at === null ? (
        !looking && <NotLooked settling={settling} />
      ) : (
        <Found
          projectId={projectId}
          findings={findings}
          sift={sift}
          settling={settling}
          busy={looking !== undefined}
        />
      )}
    </aside>
  );
}

function NotLooked({ settling }: { settling: Settling }) {
  return (
    <div className="p-4">
      <h2 className="mb-2 text-lg font-semibold">Nobody has looked yet</h2>
      <p className="mb-3 text-quiet">
        Every picture is measured once, for blur, light, contrast, noise and what is cut off, and held against
        its class; facts are looked for that give a class away, or set test apart from training.
      </p>
      <Button kind="main" onClick={settling.look}>
        Look for findings
      </Button>
    </div>
  );
}

interface FoundProps {
  projectId: number;
  findings: Findings;
  sift: string;
  settling: Settling;
  busy: boolean;
}

function Found({ projectId, findings, sift, settling, busy }: FoundProps) {
  const [, setAddress] = useAddress();
  const [told, setTold] = useState<string>();
  const { open, rest } = partedLines(findings);
  const shown = kindOf(sift) ?? told;
  const count = toSettle(findings);
  const choose = (line: FindingLine) => {
    setTold(line.name);
    if (!line.of_pictures) return;
    // Tiles show beside each label what was answered.
    const run = line.name === "label" && findings.answers ? { run: String(findings.answers.run_id) } : {};
    setAddress({ sift: `${line.sift} order:-finding`, ...run });
  };
  return (
    <>
      <div className="border-b border-hairline px-3 py-2">
        <div className="flex items-baseline gap-2">
          <p className="min-w-0 flex-1" role="status">
            <b className="text-lg" data-testid="to-settle">
              {count.toLocaleString("en")}
            </b>{" "}
            to settle
            <span className="block text-sm text-quiet">of {plural(findings.pictures, "picture")}</span>
          </p>
          {sift !== ALL_FOUND && (
            <Button
              kind="bare"
              onClick={() => {
                setTold(undefined);
                setAddress({ sift: ALL_FOUND });
              }}
            >
              Show all
            </Button>
          )}
          <Button disabled={busy} title="What was dismissed stays so" onClick={settling.look}>
            Look again
          </Button>
        </div>
        <Answers projectId={projectId} findings={findings} settling={settling} />
      </div>
      <ol className="min-h-0 flex-1 overflow-y-auto">
        {open.map((line) => (
          <Line key={line.name} line={line} chosen={line.name === shown} onChoose={() => choose(line)}>
            <OpenFinding projectId={projectId} line={line} sift={sift} settling={settling} />
          </Line>
        ))}
        {!open.length && <li className="px-3 py-3">Nothing is left to settle.</li>}
        <Rest lines={rest} settling={settling} />
      </ol>
    </>
  );
}

interface LineProps {
  line: FindingLine;
  chosen: boolean;
  onChoose: () => void;
  children: React.ReactNode;
}

function Line({ line, chosen, onChoose, children }: LineProps) {
  return (
    <li className={`border-b border-hairline ${chosen ? "bg-choice-wash" : ""}`} data-finding={line.name}>
      <button
        type="button"
        aria-expanded={chosen}
        onClick={onChoose}
        className="flex w-full cursor-pointer items-baseline gap-2 px-3 py-2 text-left hover:bg-sunken"
      >
        <span className={`min-w-0 flex-1 ${chosen ? "font-semibold" : ""}`}>{line.title}</span>
        <span className="font-mono">{line.of_pictures || line.count > 1 ? line.count : ""}</span>
      </button>
      {chosen && children}
    </li>
  );
}

/** What nothing was found of, or was said to be no fault. */
function Rest({ lines, settling }: { lines: readonly FindingLine[]; settling: Settling }) {
  const [, setAddress] = useAddress();
  const nothing = lines.filter((line) => !line.hidden);
  const hidden = lines.filter((line) => line.hidden);
  const dismissed = lines.reduce((sum, line) => sum + line.dismissed, 0);
  return (
    <li className="px-3 py-3 text-sm text-quiet">
      <p className="mb-2">A picture with several findings stands in the row of the first of them.</p>
      {nothing.length > 0 && (
        <p>Nothing turned up of: {nothing.map((line) => line.title.toLowerCase()).join(", ")}.</p>
      )}
      {hidden.map((line) => (
        <p key={line.name} className="mt-2">
          {line.title}: said to be no fault.{" "}
          <button
            type="button"
            className="cursor-pointer text-choice underline"
            onClick={() => settling.hide(line.name, false)}
          >
            It is one
          </button>
        </p>
      ))}
      {dismissed > 0 && (
        <p className="mt-2">
          <button
            type="button"
            className="cursor-pointer text-choice underline"
            onClick={() => setAddress({ sift: "finding:dismissed" })}
          >
            {plural(dismissed, "picture")}
          </button>{" "}
          said to be no fault, for good.
        </p>
      )}
    </li>
  );
}

/** Whose answers labels were held against, and the way to better ones. */
function Answers({ projectId, findings, settling }: Pick<FoundProps, "projectId" | "findings" | "settling">) {
  const { answers, folds } = findings;
  return (
    <div className="mt-2 text-sm" data-testid="answers">
      <p className={answers ? "text-quiet" : ""}>{answersWords(findings)}</p>
      {folds.plan_id !== null ? (
        <p className="mt-1">
          <Link to={`/p/${projectId}/runs?plan=${folds.plan_id}`} className="text-choice underline">
            Folds are being trained
          </Link>
          ; labels are held against them when they end.
        </p>
      ) : (
        !answers?.folds && (
          <div className="mt-1 flex items-center gap-2">
            <Button
              title="Each picture is answered by a network that has not learnt from it"
              onClick={settling.askFolds}
            >
              Ask folds
            </Button>
            <span className="text-quiet">{foldsWords(findings)}</span>
          </div>
        )
      )}
    </div>
  );
}
