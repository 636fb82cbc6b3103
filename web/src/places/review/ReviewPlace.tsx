/** Review: judge a run's errors; the matrix feeds the pictures, and labels are mended right there. */
import { useQueryClient } from "@tanstack/react-query";
import { type KeyboardEvent, useMemo, useRef, useState } from "react";
import { Link } from "react-router";
import { client, type Judgement, need, type Outcome, type Run, type SetName } from "../../api/client";
import { useJobs, useJudgement, useOutcomes } from "../../api/queries";
import { useAddress, usePlace } from "../../app/context";
import { isActive, jobWords } from "../../domain/jobs";
import { confusedPairs, likenessOrder, type Share } from "../../domain/matrix";
import { plural, score } from "../../domain/words";
import { Button } from "../../parts/Button";
import { Choice } from "../../parts/Choice";
import { ClassSign } from "../../parts/ClassSign";
import { LabelSheet } from "../../parts/LabelSheet";
import { useNotices } from "../../parts/Notices";
import { Sheet } from "../../parts/Sheet";
import { Empty, Failed, Reading } from "../../parts/States";
import { useMending } from "../rows/useMending";
import { cellKey, Matrix } from "./Matrix";
import { OutcomeTile } from "./OutcomeTile";
import { ScoreTable } from "./ScoreTable";

export function ReviewPlace() {
  const { run, runs } = usePlace();
  if (!run) {
    const running = runs.some((entry) => entry.state === "running" || entry.state === "waiting");
    return (
      <Empty title={running ? "The first run is not judged yet" : "Nothing to judge yet"}>
        <p className="mb-4">
          {running
            ? "It is judged on its validation pictures when its training ends."
            : "Train a run; its errors on the validation pictures show here, the most surprising first."}
        </p>
        <Link to="../runs" className="text-choice underline">
          Go to Runs
        </Link>
      </Empty>
    );
  }
  return <Judged run={run} key={run.id} />;
}

function Judged({ run }: { run: Run }) {
  const [params, setAddress] = useAddress();
  const [look, setLook] = useState<{ id: number; job: number | null }>();
  const { fail } = useNotices();
  const queries = useQueryClient();
  const { data: jobs = [] } = useJobs();
  // A test address that was reloaded or sent shows validation again: a look is counted only by asking for it.
  const set: SetName = params.get("set") === "test" && look !== undefined ? "test" : "validation";
  const judging = look && jobs.find((job) => job.id === look.job && isActive(job));
  const judgement = useJudgement(run.id, set, judging ? undefined : look?.id);

  const openTest = async () => {
    try {
      const counted = await need(
        client.POST("/api/runs/{run_id}/looks", {
          params: { path: { run_id: run.id } },
          body: { place: "review" },
        }),
      );
      // The tray is read first, so that the job that must end before there are scores is known.
      await queries.invalidateQueries({ queryKey: ["jobs"] });
      setLook({ id: counted.id, job: counted.job_id });
      void queries.invalidateQueries({ queryKey: ["runs"] });
      setAddress({ set: "test", cells: undefined });
    } catch (error) {
      fail(error);
    }
  };

  if (run.state === "running" && !run.judgements.validation) {
    return (
      <Empty title={`Run ${run.number} is still training`}>
        <p>Its errors show here when it ends, or when you stop it.</p>
      </Empty>
    );
  }
  return (
    <div className="flex h-full flex-col">
      <div className="flex items-center gap-4 border-b border-hairline px-4 py-1.5">
        {judgement.data ? <Verdict set={set} judgement={judgement.data} /> : <span />}
        <div className="ml-auto flex items-center gap-3">
          {set === "test" && <span className="text-quiet">looked at {plural(run.looks, "time")}</span>}
          {set === "test" ? (
            <Button onClick={() => setAddress({ set: undefined, cells: undefined })}>
              Back to validation
            </Button>
          ) : (
            <Button
              onClick={() => void openTest()}
              title="Validation chooses, test judges: each look at the test set is counted"
            >
              Look at the test set <span className="text-quiet">({run.looks} so far)</span>
            </Button>
          )}
        </div>
      </div>
      {judging && !judgement.data ? (
        <p role="status" className="p-10 text-center text-quiet">
          {jobWords(judging)} …
        </p>
      ) : judgement.isPending ? (
        <Reading what="the scores" />
      ) : judgement.isError ? (
        <Failed error={judgement.error} onRetry={() => void judgement.refetch()} />
      ) : (
        <Errors run={run} set={set} look={look?.id} judgement={judgement.data} />
      )}
    </div>
  );
}

/** Accuracy with its weight: the counts, the interval, and what naming the largest class alone would give. */
function Verdict({ set, judgement }: { set: SetName; judgement: Judgement }) {
  const [low, high] = judgement.accuracy_interval;
  return (
    <p data-testid="verdict">
      <b className="text-xl">{score(judgement.accuracy)}</b> on {plural(judgement.count, `${set} picture`)}:{" "}
      {judgement.right} right, <span className="text-wrong">{judgement.count - judgement.right} wrong</span>
      <span className="text-quiet">
        {" "}
        · 95 % between {score(low)} and {score(high)} · the largest class alone{" "}
        {score(judgement.largest_class_share)} · loss {score(judgement.loss)} · macro F1{" "}
        {score(judgement.macro_f1)}
      </span>
    </p>
  );
}

interface ErrorsProps {
  run: Run;
  set: SetName;
  look: number | undefined;
  judgement: Judgement;
}

function Errors({ run, set, look, judgement }: ErrorsProps) {
  const { project, classes } = usePlace();
  const [params, setAddress] = useAddress();
  const [byLikeness, setByLikeness] = useState(false);
  const [share, setShare] = useState<Share>("row");
  const [counts, setCounts] = useState(true);
  const cells = params.get("cells") ?? "";
  const chosenCells = useMemo(() => new Set(cells.split(",").filter(Boolean)), [cells]);
  const outcomes = useOutcomes(run.id, set, cells, look);
  const mending = useMending(project.id);
  const [chosen, setChosen] = useState<number>();
  const [opened, setOpened] = useState<Outcome>();
  const [labelling, setLabelling] = useState(false);
  const list = useRef<HTMLDivElement>(null);

  const order = byLikeness ? likenessOrder(judgement) : judgement.classes.map((_, place) => place);
  const name = (place: number) => run.classes[place]?.name ?? "";
  const show = (keys: Iterable<string>) => setAddress({ cells: [...keys].join(",") || undefined });
  const onCell = (key: string, add: boolean) => {
    if (!add) show(chosenCells.size === 1 && chosenCells.has(key) ? [] : [key]);
    else {
      const next = new Set(chosenCells);
      if (!next.delete(key)) next.add(key);
      show(next);
    }
  };

  const shown = outcomes.data ?? [];
  const onKeyDown = (event: KeyboardEvent) => {
    if (event.altKey) return;
    if ((event.ctrlKey || event.metaKey) && event.key === "z") {
      event.preventDefault();
      void mending.undo();
      return;
    }
    if (event.ctrlKey || event.metaKey) return;
    const at = shown.findIndex((outcome) => outcome.picture_id === chosen);
    const step = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    const here = shown[at];
    if (step !== undefined) {
      const next = shown[Math.max(0, Math.min(shown.length - 1, at + step))];
      setChosen(next?.picture_id);
      list.current?.querySelector<HTMLElement>(`[data-outcome="${next?.picture_id}"]`)?.focus();
    } else if (/^[1-9]$/.test(event.key)) {
      const entry = classes[Number(event.key) - 1];
      if (here && entry) void mending.label([here.picture_id], entry.id);
    } else if (event.key === "0" && here) void mending.label([here.picture_id], null);
    else if (event.key.toLowerCase() === "l" && here) setLabelling(true);
    else return;
    event.preventDefault();
  };

  const title = chosenCells.size
    ? `${plural(shown.length, "picture")}: ${cellWords(run, judgement, chosenCells)}`
    : `${plural(shown.length, "error")}, the most surprising first`;
  return (
    <div className="flex min-h-0 flex-1">
      <div className="w-[540px] shrink-0 overflow-y-auto border-r border-hairline px-4 py-3">
        <div className="mb-2 flex flex-wrap items-center gap-x-3 gap-y-1 text-sm">
          <Choice<string>
            label="Numbers"
            hideLabel
            value={counts ? "count" : "share"}
            onChange={(value) => setCounts(value === "count")}
            options={[
              { value: "count", label: "counts" },
              { value: "share", label: "shares" },
            ]}
          />
          <Choice<Share>
            label="Area of"
            value={share}
            onChange={setShare}
            options={[
              { value: "row", label: "row", title: "Share of the row: recall on the diagonal" },
              { value: "column", label: "column", title: "Share of the column: precision on the diagonal" },
            ]}
          />
          <Choice<string>
            label="Order"
            value={byLikeness ? "likeness" : "classes"}
            onChange={(value) => setByLikeness(value === "likeness")}
            options={[
              { value: "classes", label: "classes" },
              { value: "likeness", label: "likeness", title: "Confused classes stand together" },
            ]}
          />
        </div>
        <Matrix
          run={run}
          judgement={judgement}
          order={order}
          share={share}
          counts={counts}
          chosen={chosenCells}
          onCell={onCell}
        />
        <ScoreTable run={run} judgement={judgement} classes={classes} />
      </div>
      <div className="flex min-w-0 flex-1 flex-col">
        <div className="flex flex-wrap gap-1.5 border-b border-hairline px-4 py-2">
          {confusedPairs(judgement)
            .slice(0, 8)
            .map((pair) => {
              const key = cellKey(run, pair.truth, pair.predicted);
              return (
                <button
                  key={key}
                  type="button"
                  aria-pressed={chosenCells.has(key)}
                  onClick={(event) => onCell(key, event.ctrlKey || event.metaKey)}
                  className={`rounded-control cursor-pointer border px-1.5 text-sm ${
                    chosenCells.has(key) ? "border-choice bg-choice-wash" : "border-edge hover:bg-sunken"
                  }`}
                >
                  <b>{pair.count}</b> {name(pair.truth)} read as {name(pair.predicted)}
                </button>
              );
            })}
        </div>
        <div className="flex items-center gap-3 px-4 pt-2">
          <h2 className="min-w-0 truncate font-semibold" data-testid="outcomes-title">
            {title}
          </h2>
          {chosenCells.size > 0 && (
            <Button kind="bare" onClick={() => show([])}>
              Show all errors
            </Button>
          )}
          <span className="ml-auto text-sm whitespace-nowrap text-quiet">
            1–9, 0 or L mends the chosen label
          </span>
        </div>
        <div
          ref={list}
          role="listbox"
          aria-label="Judged pictures"
          tabIndex={0}
          data-testid="outcomes"
          onKeyDown={onKeyDown}
          className="flex min-h-0 flex-1 flex-wrap content-start gap-3 overflow-y-auto px-4 py-2"
        >
          {outcomes.isPending && <Reading what="the pictures" />}
          {outcomes.data && !shown.length && (
            <p className="text-quiet">
              {chosenCells.size
                ? "No picture fell into this cell."
                : "No errors on this set. Look at the test set next."}
            </p>
          )}
          {shown.map((outcome) => (
            <OutcomeTile
              key={outcome.picture_id}
              outcome={outcome}
              run={run}
              classes={classes}
              chosen={outcome.picture_id === chosen}
              onChoose={() => setChosen(outcome.picture_id)}
              onOpen={() => setOpened(outcome)}
            />
          ))}
        </div>
      </div>
      {opened && <Answer outcome={opened} run={run} onClose={() => setOpened(undefined)} />}
      {labelling && chosen !== undefined && (
        <LabelSheet
          count={1}
          classes={classes}
          onClose={() => setLabelling(false)}
          onChoose={(classId) => void mending.label([chosen], classId)}
        />
      )}
    </div>
  );
}

function cellWords(run: Run, judgement: Judgement, keys: ReadonlySet<string>): string {
  const words: string[] = [];
  judgement.confusion.forEach((row, truth) => {
    row.forEach((_, predicted) => {
      if (!keys.has(cellKey(run, truth, predicted))) return;
      const [a, b] = [run.classes[truth]?.name ?? "", run.classes[predicted]?.name ?? ""];
      words.push(truth === predicted ? `${a} read rightly` : `${a} read as ${b}`);
    });
  });
  return words.join("; ");
}

/** One judged picture enlarged, with every class's probability on one ruler. */
function Answer({ outcome, run, onClose }: { outcome: Outcome; run: Run; onClose: () => void }) {
  const order = run.classes
    .map((entry, place) => ({ ...entry, p: outcome.probabilities[place] ?? 0 }))
    .sort((a, b) => b.p - a.p);
  return (
    <Sheet title={outcome.name} open wide onClose={onClose}>
      <div className="flex gap-6">
        <img
          src={`/api/originals/${outcome.sha256}`}
          alt={outcome.name}
          className="h-[380px] w-[380px] bg-sunken object-contain"
          style={{ imageRendering: "pixelated" }}
        />
        <ul className="flex-1">
          {order.map((entry, place) => (
            <li key={entry.id} className="mb-1.5">
              <div className="flex justify-between">
                <span>
                  <ClassSign
                    place={run.classes.findIndex((item) => item.id === entry.id)}
                    sign={entry.sign}
                  />{" "}
                  {entry.name}
                  {entry.id === outcome.true_class && <b> (true)</b>}
                </span>
                <span className="font-mono">{entry.p.toFixed(3)}</span>
              </div>
              <div className="h-2 bg-sunken">
                <div
                  className="h-full"
                  style={{
                    width: `${entry.p * 100}%`,
                    background:
                      entry.id === outcome.true_class
                        ? "var(--good)"
                        : place === 0
                          ? "var(--wrong)"
                          : "var(--edge)",
                  }}
                />
              </div>
            </li>
          ))}
        </ul>
      </div>
    </Sheet>
  );
}
