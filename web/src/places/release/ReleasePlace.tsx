/** Release: try a model on new pictures, and hand it over with its proof. */
import { useQueryClient } from "@tanstack/react-query";
import { type DragEvent, useEffect, useRef, useState } from "react";
import { Link } from "react-router";
import { type Answer, client, type Model, need, type Run, sendFiles } from "../../api/client";
import { useJobs } from "../../api/queries";
import { usePlace } from "../../app/context";
import { plural, score } from "../../domain/words";
import { Button } from "../../parts/Button";
import { Digest } from "../../parts/Digest";
import { useNotices } from "../../parts/Notices";
import { Empty } from "../../parts/States";
import { fromDrop } from "../bring-in/bringIn";
import { Packs } from "./Packs";
import { type Tried, TriedPicture } from "./TriedPicture";

/** One request holds at most this many files. */
const AT_ONCE = 32;

export function ReleasePlace() {
  const { run } = usePlace();
  if (!run?.model) {
    return (
      <Empty title="No model yet">
        <p className="mb-4">
          Once a run has kept an epoch, you can try it on new pictures and hand it over here.
        </p>
        <Link to="../runs" className="text-choice underline">
          Go to Runs
        </Link>
      </Empty>
    );
  }
  return <Release run={run} model={run.model} key={run.id} />;
}

function Release({ run, model }: { run: Run; model: Model }) {
  const { fail } = useNotices();
  const { data: jobs = [] } = useJobs();
  const queries = useQueryClient();
  const [tried, setTried] = useState<readonly Tried[]>([]);
  const [shown, setShown] = useState<string>();
  const [threshold, setThreshold] = useState(0.5);
  const [busy, setBusy] = useState(false);
  const [over, setOver] = useState(false);
  const chooser = useRef<HTMLInputElement>(null);
  const current = tried.find((entry) => entry.key === shown);

  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if ((event.ctrlKey || event.metaKey) && event.key === "o") {
        event.preventDefault();
        chooser.current?.click();
      }
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);

  const ask = async (files: readonly File[]) => {
    setBusy(true);
    try {
      for (let start = 0; start < files.length; start += AT_ONCE) {
        const part = files.slice(start, start + AT_ONCE);
        const body = new FormData();
        for (const file of part) body.append("files", file, file.name);
        const answers = await sendFiles<Answer[]>("POST", `/api/models/${model.id}/try`, body);
        const fresh = answers.map((answer, index) => ({
          key: crypto.randomUUID(),
          url: URL.createObjectURL(part[index] ?? new Blob()),
          answer,
        }));
        setTried((now) => [...fresh, ...now]);
        setShown(fresh[0]?.key);
      }
    } catch (error) {
      fail(error);
    }
    setBusy(false);
  };

  const makePack = async () => {
    try {
      await need(client.POST("/api/models/{model_id}/exports", { params: { path: { model_id: model.id } } }));
      await queries.invalidateQueries({ queryKey: ["exports"] });
      await queries.invalidateQueries({ queryKey: ["jobs"] });
    } catch (error) {
      fail(error);
    }
  };

  const onDrop = (event: DragEvent) => {
    event.preventDefault();
    setOver(false);
    fromDrop(event.dataTransfer)
      .then((files) => ask(files.map((entry) => entry.file)))
      .catch(fail);
  };
  const judged = run.validation;
  return (
    <div className="flex h-full">
      <section
        aria-label="Try pictures"
        className={`flex min-w-0 flex-1 flex-col ${over ? "bg-choice-wash" : ""}`}
        onDragOver={(event) => {
          event.preventDefault();
          setOver(true);
        }}
        onDragLeave={() => setOver(false)}
        onDrop={onDrop}
      >
        <div className="flex items-center gap-3 border-b border-hairline px-4 py-1.5">
          <Button
            kind={tried.length ? "plain" : "main"}
            disabled={busy}
            onClick={() => chooser.current?.click()}
          >
            Choose pictures to try
          </Button>
          <input
            ref={chooser}
            type="file"
            multiple
            accept="image/*"
            className="sr-only"
            tabIndex={-1}
            aria-label="Pictures to try"
            onChange={(event) => {
              void ask([...(event.target.files ?? [])]);
              event.target.value = "";
            }}
          />
          {busy && <span role="status">Asking run {run.number} …</span>}
          <label className="ml-auto flex items-center gap-2">
            <span className="text-quiet">unsure below</span>
            <input
              type="range"
              min={0}
              max={0.99}
              step={0.01}
              value={threshold}
              onChange={(event) => setThreshold(Number(event.target.value))}
              className="w-36 accent-choice"
            />
            <span className="w-9 font-mono">{threshold.toFixed(2)}</span>
          </label>
        </div>
        {current ? (
          <TriedPicture tried={current} model={model} threshold={threshold} />
        ) : (
          <Empty title="Drop pictures here">
            <p>
              Run {run.number} says what it takes them for, with the runner-up and every class's probability.
              They are not stored.
            </p>
          </Empty>
        )}
        {tried.length > 0 && (
          <ul
            aria-label="Tried pictures"
            className="flex h-[104px] shrink-0 gap-2 overflow-x-auto border-t border-hairline p-2"
          >
            {tried.map((entry) => (
              <li key={entry.key}>
                <button
                  type="button"
                  onClick={() => setShown(entry.key)}
                  aria-pressed={entry.key === shown}
                  title={entry.answer.name}
                  className={`cursor-pointer ${entry.key === shown ? "outline-3 outline-choice" : ""}`}
                >
                  {entry.answer.error ? (
                    <span className="flex h-[84px] w-[84px] items-center justify-center bg-wrong-wash text-sm text-wrong">
                      unreadable
                    </span>
                  ) : (
                    <img
                      src={entry.url}
                      alt={entry.answer.name}
                      className="h-[84px] w-[84px] bg-sunken object-contain"
                    />
                  )}
                </button>
              </li>
            ))}
          </ul>
        )}
      </section>
      <aside
        className="flex w-[350px] shrink-0 flex-col overflow-y-auto border-l border-hairline px-4 py-3"
        aria-label="Hand over"
      >
        <h2 className="text-lg font-semibold">Hand over run {run.number}</h2>
        <p className="mb-2 text-quiet">
          {judged
            ? `${score(judged.accuracy)} on ${plural(judged.count, "validation picture")}, kept epoch ${model.epoch}, ${plural(run.parameters, "parameter")}.`
            : `Kept epoch ${model.epoch}${model.frozen ? "" : " so far; the run goes on and may keep another"}.`}{" "}
          <Digest model={model} />
        </p>
        <p className="mb-3 text-quiet">
          A pack holds an ONNX file from 8-bit pixels to probabilities, the class list, a description, and a
          short script for picture files. Before it is offered, the script is run in a fresh process and its
          answers are compared with the application's.
        </p>
        <Button kind="main" className="justify-center" onClick={() => void makePack()}>
          Make an export pack
        </Button>
        <Packs model={model} jobs={jobs} />
      </aside>
    </div>
  );
}
