/** A network file from outside, laid over the curves: what it does not say is asked at the left, beside it what it is. */
import { useQueryClient } from "@tanstack/react-query";
import { useDeferredValue, useEffect, useState } from "react";
import type { NetworkFile, NetworkFileAnswers, Problem, Run } from "../../api/client";
import { bringInNetwork, useNetworkFile } from "../../api/networkFileQueries";
import { usePlace } from "../../app/context";
import { comparedWords, factsWords, firstNames, namesMistake } from "../../domain/networkFile";
import { Button } from "../../parts/Button";
import { useNotices } from "../../parts/Notices";
import { Empty } from "../../parts/States";
import { Bench } from "./Bench";
import { ClassNames, NetworkFileChoice, NetworkFileQuestions } from "./NetworkFileQuestions";

interface Sent {
  readonly upload: string;
  readonly name: string;
}

const FIRST: NetworkFileAnswers = {
  size: 0,
  scale: "unit",
  mean: [0.485, 0.456, 0.406],
  deviation: [0.229, 0.224, 0.225],
  blue_first: false,
  fit: "distort",
  classes: [],
};

export function NetworkFileBench({ onBack, onDone }: { onBack: () => void; onDone: (run: Run) => void }) {
  const { project, classes } = usePlace();
  const queries = useQueryClient();
  const { say, fail } = useNotices();
  const [sent, setSent] = useState<Sent>();
  const [answers, setAnswers] = useState(FIRST);
  const [typed, setTyped] = useState<readonly string[]>();
  const [busy, setBusy] = useState(false);
  // What is typed is looked at when there is time for it.
  const asked = useDeferredValue(withNames(answers, typed));
  const look = useNetworkFile(project.id, sent?.upload, asked);
  const found = sent && !look.isError ? look.data : undefined;
  const outputs = found?.outputs ?? 0;
  const names = typed?.length === outputs ? typed : firstNames(outputs, found?.names ?? [], classes);
  const mistake = outputs ? namesMistake(names) : "";
  const guessed = found && !typed && !found.refused.length && !mistake ? names.join("\n") : "";
  useEffect(() => {
    // Names that were filled in count like typed ones: with them it can be compared.
    if (guessed) setTyped(guessed.split("\n"));
  }, [guessed]);
  const ready =
    found !== undefined && !found.refused.length && outputs > 0 && !mistake && !look.isPlaceholderData;
  const bringIn = async () => {
    if (!sent) return;
    setBusy(true);
    try {
      const run = await bringInNetwork(project.id, sent.upload, withNames(answers, names));
      await Promise.all(
        ["runs", "classes", "projects"].map((key) => queries.invalidateQueries({ queryKey: [key] })),
      );
      say(`${sent.name} is run ${run.number}; it is being judged on validation.`);
      onDone(run);
    } catch (error) {
      fail(error);
      setBusy(false);
    }
  };
  return (
    <Bench
      title="Bring in a network"
      testId="network-file-bench"
      head={
        <p className="truncate text-quiet">{sent?.name ?? "an ONNX file, or a pack that was handed over"}</p>
      }
      settingsLabel="What the file does not say"
      previewLabel="What the file is"
      onBack={onBack}
      settings={
        <>
          <NetworkFileChoice
            first={!sent}
            onSent={(upload, name) => {
              setSent({ upload, name });
              setAnswers(FIRST);
              setTyped(undefined);
            }}
          />
          {found && !found.refused.length && (
            <NetworkFileQuestions found={found} answers={answers} onAnswers={setAnswers} />
          )}
          {found && outputs > 0 && <ClassNames names={names} project={classes} onNames={setTyped} />}
          {found && !found.refused.length && (
            <div>
              <Button kind="main" disabled={!ready || busy} onClick={() => void bringIn()}>
                {busy ? "Being brought in …" : "Bring it in"}
              </Button>
              {mistake && <p className="mt-1 text-sm text-quiet">{mistake}</p>}
            </div>
          )}
        </>
      }
    >
      <Shown sent={sent} found={found} problem={look.error} reading={look.isFetching} />
    </Bench>
  );
}

/** With names only where each output has one. */
function withNames(answers: NetworkFileAnswers, names: readonly string[] | undefined): NetworkFileAnswers {
  return names && !namesMistake(names) ? { ...answers, classes: [...names] } : answers;
}

interface ShownProps {
  sent: Sent | undefined;
  found: NetworkFile | undefined;
  problem: Problem | null;
  reading: boolean;
}

function Shown({ sent, found, problem, reading }: ShownProps) {
  if (!sent)
    return (
      <Empty title="A network from outside">
        <p>
          It is read into layers of its own here, held against an independent runtime, and becomes a run that
          was no training: judged, tried, handed over and started from like any other.
        </p>
      </Empty>
    );
  if (problem)
    return (
      <p role="alert" className="text-wrong">
        {problem.what} {problem.mend}
      </p>
    );
  if (!found) return <p className="text-quiet">{reading ? `Reading ${sent.name} …` : ""}</p>;
  return (
    <div className={reading ? "opacity-60" : ""} aria-busy={reading}>
      <p className="mb-3" data-testid="network-file-facts">
        {factsWords(found)}
      </p>
      <Refused refused={found.refused} />
      {found.difference !== null && (
        <p
          className={`mb-3 ${found.difference <= found.tolerance ? "text-good" : "text-wrong"}`}
          data-testid="network-file-compared"
        >
          {comparedWords(found.difference, found.compared, found.tolerance)}
        </p>
      )}
      <Seen seen={found.seen} size={found.size} />
      <LayerList layers={found.layers} />
    </div>
  );
}

function Refused({ refused }: Pick<NetworkFile, "refused">) {
  if (!refused.length) return null;
  return (
    <section aria-label="What cannot be taken" className="mb-3">
      <h3 className="mb-1 font-semibold text-wrong">
        {refused.length === 1 ? "One node cannot be taken" : `${refused.length} nodes cannot be taken`}
      </h3>
      <table className="w-full border-collapse">
        <tbody>
          {refused.map((entry) => (
            <tr key={`${entry.node}-${entry.operator}`} className="border-t border-hairline">
              <th className="py-1 pr-4 text-left font-normal whitespace-nowrap">{entry.operator}</th>
              <td className="py-1 pr-4 font-mono text-sm whitespace-nowrap">{entry.node}</td>
              <td className="py-1">{entry.why}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="mt-2 text-quiet">Export the network without them, or take these steps out of it.</p>
    </section>
  );
}

/** Some of the project's pictures as the network would see them. */
function Seen({ seen, size }: Pick<NetworkFile, "seen" | "size">) {
  if (!seen.length) return null;
  return (
    <section aria-label="As the network sees pictures" className="mb-3">
      <h3 className="mb-1 font-semibold">
        As it sees pictures, {size} × {size}
      </h3>
      <ul className="flex flex-wrap gap-2">
        {seen.map((picture) => (
          <li key={picture}>
            <img
              src={`data:image/png;base64,${picture}`}
              alt=""
              className="size-[112px] bg-sunken"
              style={{ imageRendering: "pixelated" }}
            />
          </li>
        ))}
      </ul>
    </section>
  );
}

/** Settings that say nothing to a reader. */
const SILENT = new Set(["id", "kind", "start", "inputs"]);

function LayerList({ layers }: Pick<NetworkFile, "layers">) {
  if (!layers.length) return null;
  return (
    <section aria-label="Layers">
      <h3 className="mb-1 font-semibold">{layers.length} layers</h3>
      <ol>
        {layers.map((layer) => (
          <li key={String(layer.id)} className="flex gap-3 border-t border-hairline py-0.5">
            <span className="w-40 shrink-0 font-mono text-sm">{String(layer.id)}</span>
            <span className="text-quiet">
              {Object.entries(layer)
                .filter(([name, value]) => !SILENT.has(name) && value !== 1 && value !== false)
                .map(([name, value]) => `${name} ${value === true ? "" : String(value)}`.trim())
                .join(", ")}
              {Array.isArray(layer.inputs) && ` of ${layer.inputs.join(" and ")}`}
            </span>
          </li>
        ))}
      </ol>
    </section>
  );
}
