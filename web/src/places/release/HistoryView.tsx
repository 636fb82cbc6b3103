/** What was tried with this project's models: answers, what the pictures truly are, and their way into the project. */
import { useEffect, useMemo, useState } from "react";
import { usePlace } from "../../app/context";
import { importPaths } from "../../domain/history";
import { answerSentence, ranked } from "../../domain/ranking";
import { moment, plural, score } from "../../domain/words";
import { Button } from "../../parts/Button";
import { Empty } from "../../parts/States";
import { useSending } from "../bring-in/useSending";
import { type History, type Kept, MOST_KEPT } from "./history";

export function HistoryView({ history }: { history: History }) {
  const { project } = usePlace();
  const { kept, wanted, want, forget, restore } = history;
  const [forgotten, setForgotten] = useState<readonly Kept[]>([]);
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const { sending, send } = useSending(project.id);
  const some = kept.filter((entry) => chosen.has(entry.key));
  const meant = some.length ? some : kept;
  const bringIn = () => {
    const paths = importPaths(meant);
    void send(
      meant.map((entry, n) => ({ path: paths[n] ?? entry.path, file: new File([entry.file], "picture") })),
    );
  };
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <div className="flex flex-wrap items-center gap-x-4 gap-y-1 border-b border-hairline px-4 py-1.5">
        <label className="flex cursor-pointer items-center gap-1.5">
          <input type="checkbox" checked={wanted} onChange={(event) => want(event.target.checked)} />
          Keep what is tried, in this browser alone
        </label>
        <Summary kept={kept} />
        {kept.length > 0 && (
          <span className="ml-auto flex gap-2">
            <Button disabled={sending !== undefined} onClick={bringIn}>
              Bring {plural(meant.length, "picture")} into the project
            </Button>
            <Button
              kind="danger"
              onClick={() => {
                setForgotten(meant);
                setChosen(new Set());
                void forget(meant);
              }}
            >
              Forget {meant.length.toLocaleString("en")}
            </Button>
          </span>
        )}
      </div>
      {forgotten.length > 0 && (
        <p role="status" className="border-b border-hairline px-4 py-1">
          {plural(forgotten.length, "picture")} forgotten.{" "}
          <Button
            kind="bare"
            onClick={() => {
              setForgotten([]);
              void restore(forgotten);
            }}
          >
            Take it back
          </Button>
        </p>
      )}
      {kept.length ? (
        <ul aria-label="Tried before" className="min-h-0 flex-1 overflow-y-auto px-4">
          {kept.map((entry) => (
            <Line
              key={entry.key}
              entry={entry}
              history={history}
              chosen={chosen.has(entry.key)}
              onChoose={(on) => setChosen((now) => toggled(now, entry.key, on))}
            />
          ))}
        </ul>
      ) : (
        <Empty title="Nothing is kept">
          <p>
            {wanted
              ? `What is tried from now on stands here, up to ${MOST_KEPT.toLocaleString("en")} pictures.`
              : "What is tried is forgotten with this page. Keep it, and it stands here with its answers."}
          </p>
        </Empty>
      )}
    </div>
  );
}

function toggled(now: ReadonlySet<string>, key: string, on: boolean): ReadonlySet<string> {
  const next = new Set(now);
  if (on) next.add(key);
  else next.delete(key);
  return next;
}

function answerOf(entry: Kept) {
  return ranked(entry.names, entry.answer.probabilities);
}

function Summary({ kept }: { kept: readonly Kept[] }) {
  const known = kept.filter((entry) => entry.truth);
  if (!known.length)
    return kept.length ? <span className="text-quiet">{plural(kept.length, "picture")}</span> : null;
  const right = known.filter((entry) => answerOf(entry)[0]?.name === entry.truth).length;
  return (
    <span data-testid="history-right">
      {plural(kept.length, "picture")}; {score(right / known.length)} right of{" "}
      {known.length.toLocaleString("en")} whose class is known
    </span>
  );
}

interface LineProps {
  entry: Kept;
  history: History;
  chosen: boolean;
  onChoose: (on: boolean) => void;
}

function Line({ entry, history, chosen, onChoose }: LineProps) {
  const { classes } = usePlace();
  const url = useMemo(() => URL.createObjectURL(entry.file), [entry.file]);
  useEffect(() => () => URL.revokeObjectURL(url), [url]);
  const order = answerOf(entry);
  const wrong = entry.truth !== undefined && entry.truth !== order[0]?.name;
  const names = [...new Set([...classes.map((known) => known.name), ...entry.names])];
  return (
    <li
      className="grid grid-cols-[20px_56px_1fr_auto_170px] items-center gap-3 border-b border-hairline py-1"
      style={{ contentVisibility: "auto", containIntrinsicSize: "auto 64px" }}
    >
      <input
        type="checkbox"
        aria-label={`Choose ${entry.path}`}
        checked={chosen}
        onChange={(event) => onChoose(event.target.checked)}
      />
      <img src={url} alt="" loading="lazy" className="size-14 bg-sunken object-contain" />
      <span className="min-w-0">
        <span className={`block ${wrong ? "text-wrong" : ""}`}>{answerSentence(order, 0).text}</span>
        <span className="block truncate text-sm text-quiet">{entry.path}</span>
      </span>
      <span className="text-right text-sm whitespace-nowrap text-quiet">
        run {entry.run}, <span className="font-mono">{entry.digest.slice(0, 10)}</span>
        <span className="block">
          {moment(new Date(entry.at).toISOString())}
          {entry.count > 1 && `, asked ${entry.count} times`}
        </span>
      </span>
      <select
        aria-label={`What ${entry.path} truly is`}
        className="rounded-control cursor-pointer border border-edge bg-surface px-1 py-0.5"
        value={entry.truth ?? ""}
        onChange={(event) => void history.tell(entry, event.target.value || undefined)}
      >
        <option value="">not known</option>
        {names.map((name) => (
          <option key={name}>{name}</option>
        ))}
      </select>
    </li>
  );
}
