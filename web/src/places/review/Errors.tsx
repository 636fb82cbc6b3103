/** A run's errors on one set: the matrix and the scores at the left feed the pictures at the right. */
import { type KeyboardEvent, useMemo, useRef, useState } from "react";
import type { Judgement, Model, Outcome, SetName } from "../../api/client";
import { useOutcomes } from "../../api/runQueries";
import { useAddress, usePlace } from "../../app/context";
import { labelKey } from "../../domain/labelKeys";
import { confusedPairs, likenessOrder, type Share } from "../../domain/matrix";
import { plural } from "../../domain/words";
import { Button } from "../../parts/Button";
import { Choice } from "../../parts/Choice";
import { LabelSheet } from "../../parts/LabelSheet";
import { Reading } from "../../parts/States";
import { useMending } from "../mending/useMending";
import { JudgedPicture } from "./JudgedPicture";
import { cellKey, Matrix } from "./Matrix";
import { OutcomeTile } from "./OutcomeTile";
import { ScoreTable } from "./ScoreTable";

interface ErrorsProps {
  model: Model;
  set: SetName;
  look: number | undefined;
  judgement: Judgement;
}

export function Errors({ model, set, look, judgement }: ErrorsProps) {
  const { project, classes } = usePlace();
  const [params, setAddress] = useAddress();
  const [byLikeness, setByLikeness] = useState(false);
  const [share, setShare] = useState<Share>("row");
  const [counts, setCounts] = useState(true);
  const cells = params.get("cells") ?? "";
  const chosenCells = useMemo(() => new Set(cells.split(",").filter(Boolean)), [cells]);
  const outcomes = useOutcomes(model.id, set, cells, look);
  const mending = useMending(project.id);
  const [chosen, setChosen] = useState<number>();
  const [opened, setOpened] = useState<Outcome>();
  const [labelling, setLabelling] = useState(false);
  const list = useRef<HTMLDivElement>(null);

  const order = byLikeness ? likenessOrder(judgement) : judgement.classes.map((_, place) => place);
  const name = (place: number) => model.classes[place]?.name ?? "";
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
    const asked = labelKey(event.key, classes);
    if (step !== undefined) {
      const next = shown[Math.max(0, Math.min(shown.length - 1, at + step))];
      setChosen(next?.picture_id);
      list.current?.querySelector<HTMLElement>(`[data-outcome="${next?.picture_id}"]`)?.focus();
    } else if (here && asked?.kind === "label") void mending.label([here.picture_id], asked.classId);
    else if (here && asked) setLabelling(true);
    else return;
    event.preventDefault();
  };

  const title = chosenCells.size
    ? `${plural(shown.length, "picture")}: ${cellWords(model, judgement, chosenCells)}`
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
          model={model}
          judgement={judgement}
          order={order}
          share={share}
          counts={counts}
          chosen={chosenCells}
          onCell={onCell}
        />
        <ScoreTable model={model} judgement={judgement} classes={classes} />
      </div>
      <div className="flex min-w-0 flex-1 flex-col">
        <div className="flex flex-wrap gap-1.5 border-b border-hairline px-4 py-2">
          {confusedPairs(judgement)
            .slice(0, 8)
            .map((pair) => {
              const key = cellKey(model, pair.truth, pair.predicted);
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
              model={model}
              classes={classes}
              chosen={outcome.picture_id === chosen}
              onChoose={() => setChosen(outcome.picture_id)}
              onOpen={() => setOpened(outcome)}
            />
          ))}
        </div>
      </div>
      {opened && <JudgedPicture outcome={opened} model={model} onClose={() => setOpened(undefined)} />}
      {labelling && chosen !== undefined && (
        <LabelSheet
          title="Label 1 picture"
          classes={classes}
          onClose={() => setLabelling(false)}
          onChoose={(classId) => void mending.label([chosen], classId)}
        />
      )}
    </div>
  );
}

function cellWords(model: Model, judgement: Judgement, keys: ReadonlySet<string>): string {
  const words: string[] = [];
  judgement.confusion.forEach((row, truth) => {
    row.forEach((_, predicted) => {
      if (!keys.has(cellKey(model, truth, predicted))) return;
      const [a, b] = [model.classes[truth]?.name ?? "", model.classes[predicted]?.name ?? ""];
      words.push(truth === predicted ? `${a} read rightly` : `${a} read as ${b}`);
    });
  });
  return words.join("; ");
}
