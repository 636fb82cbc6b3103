/** What a training can start from: nothing, a starter, a model of any project, a model file. */
import { type ReactNode, useState } from "react";
import type { Starter, StartingModel } from "../../api/client";
import { useStarters, useStartingModels } from "../../api/startQueries";
import { helpWords, matchingModels, type Start, type StartSource } from "../../domain/start";
import { plural, score } from "../../domain/words";
import { SentFile } from "../bring-in/SentFile";

interface Props {
  projectId: number;
  start: Start | undefined;
  proposed: Starter | undefined;
  onNothing: () => void;
  onSource: (source: StartSource, words: string) => void;
}

/** More than these are found by typing. */
const SHOWN = 60;

export function StartSources({ projectId, start, proposed, onNothing, onSource }: Props) {
  const { data: starters = [] } = useStarters();
  const models = useStartingModels(projectId);
  const [typed, setTyped] = useState("");
  const found = matchingModels(models.data ?? [], typed);
  return (
    <>
      <Line here={!start} title="Nothing" onChoose={onNothing}>
        Weights drawn by chance.
      </Line>
      {starters.length > 0 && <Head>Starters, taught on drawings</Head>}
      {starters.map((entry) => (
        <Line
          key={entry.name}
          here={start?.starter === entry.name}
          title={entry.name}
          note={entry === proposed ? "proposed" : ""}
          onChoose={() => onSource({ starter: entry.name }, entry.name)}
        >
          {plural(entry.parameters, "parameter")}, {entry.input_size} px. {helpWords(entry)}
        </Line>
      ))}
      <Head>Models</Head>
      {(models.data?.length ?? 0) > 6 && (
        <input
          type="search"
          aria-label="Find a model"
          placeholder="project, run, class …"
          value={typed}
          onChange={(event) => setTyped(event.target.value)}
          className="rounded-control w-full border border-edge bg-surface px-2 py-1"
        />
      )}
      {models.data && !found.length && (
        <p className="text-sm text-quiet">
          {typed ? "None is called so." : "No run has ended with a model yet, here or in another project."}
        </p>
      )}
      {found.slice(0, SHOWN).map((entry) => (
        <ModelLine
          key={entry.model_id}
          entry={entry}
          own={entry.project_id === projectId}
          here={start?.model_id === entry.model_id}
          onChoose={() => onSource({ model_id: entry.model_id }, `run ${entry.run_number}`)}
        />
      ))}
      {found.length > SHOWN && (
        <p className="text-sm text-quiet">and {found.length - SHOWN} more: type to find them</p>
      )}
      <Head>A model file</Head>
      <FileLine start={start} onSource={onSource} />
    </>
  );
}

function Head({ children }: { children: ReactNode }) {
  return <h3 className="mt-2 border-b border-hairline pb-0.5 text-sm text-quiet">{children}</h3>;
}

interface LineProps {
  here: boolean;
  title: ReactNode;
  note?: string;
  onChoose: () => void;
  children: ReactNode;
}

function Line({ here, title, note, onChoose, children }: LineProps) {
  return (
    <button
      type="button"
      aria-pressed={here}
      onClick={onChoose}
      className={`-mx-2 cursor-pointer border-l-4 px-2 py-1 text-left ${here ? "border-choice bg-choice-wash" : "border-transparent hover:bg-sunken"}`}
    >
      <span className="flex items-baseline justify-between gap-2">
        <span className="min-w-0 truncate font-semibold">{title}</span>
        {note && <span className="shrink-0 text-sm text-choice">{note}</span>}
      </span>
      <span className="block text-sm text-quiet">{children}</span>
    </button>
  );
}

interface ModelLineProps {
  entry: StartingModel;
  own: boolean;
  here: boolean;
  onChoose: () => void;
}

function ModelLine({ entry, own, here, onChoose }: ModelLineProps) {
  const run = `Run ${entry.run_number}${entry.run_name ? `, ${entry.run_name}` : ""}`;
  return (
    <Line
      here={here}
      title={own ? run : `${entry.project}, ${run.toLowerCase()}`}
      note={entry.accuracy === null ? "" : score(entry.accuracy)}
      onChoose={onChoose}
    >
      <span className="line-clamp-2" title={entry.classes.join(", ")}>
        {entry.network}, {entry.input_size} px, {entry.classes.join(", ")}
      </span>
    </Line>
  );
}

/** Sent as an upload, which the run keeps a copy of. */
function FileLine({ start, onSource }: Pick<Props, "start" | "onSource">) {
  return (
    <div className="flex items-center gap-3">
      <SentFile
        label="A model file"
        words="Choose a file"
        accept=".safetensors"
        onSent={(upload, name) => onSource({ upload }, name)}
      />
      <span className="min-w-0 truncate text-sm text-quiet">
        {start?.upload ? start.words : "model.safetensors of an export or a training"}
      </span>
    </div>
  );
}
