/** A run's errors on one set: the matrix and the scores at the left feed the pictures at the right. */
import { useMemo, useState } from "react";
import type { Judgement, Model, Outcome, SetName } from "../../api/client";
import { useOutcomes } from "../../api/runQueries";
import { useAddress, usePlace } from "../../app/context";
import { confusedPairs, likenessOrder, type Share } from "../../domain/matrix";
import { plural } from "../../domain/words";
import { Button } from "../../parts/Button";
import { Choice } from "../../parts/Choice";
import { LabelSheet } from "../../parts/LabelSheet";
import { Reading } from "../../parts/States";
import { useMending } from "../mending/useMending";
import { JudgedPicture } from "./JudgedPicture";
import { cellKey, Matrix } from "./Matrix";
import { OutcomeList } from "./OutcomeList";
import { ScoreTable } from "./ScoreTable";

interface ErrorsProps {
  model: Model;
  set: SetName;
  look: number | undefined;
  judgement: Judgement;
}

/** Which cells of the matrix are shown, as the address says. */
function useCells() {
  const [params, setAddress] = useAddress();
  const cells = params.get("cells") ?? "";
  const chosen = useMemo(() => new Set(cells.split(",").filter(Boolean)), [cells]);
  const show = (keys: Iterable<string>) => setAddress({ cells: [...keys].join(",") || undefined });
  const onCell = (key: string, add: boolean) => {
    if (!add) show(chosen.size === 1 && chosen.has(key) ? [] : [key]);
    else {
      const next = new Set(chosen);
      if (!next.delete(key)) next.add(key);
      show(next);
    }
  };
  return { cells, chosen, show, onCell };
}

type Cells = ReturnType<typeof useCells>;

export function Errors({ model, set, look, judgement }: ErrorsProps) {
  const cells = useCells();
  return (
    <div className="flex min-h-0 flex-1">
      <MatrixSide model={model} judgement={judgement} cells={cells} />
      <div className="flex min-w-0 flex-1 flex-col">
        <Pairs model={model} judgement={judgement} cells={cells} />
        <Judged model={model} set={set} look={look} judgement={judgement} cells={cells} />
      </div>
    </div>
  );
}

interface SideProps {
  model: Model;
  judgement: Judgement;
  cells: Cells;
}

function MatrixSide({ model, judgement, cells }: SideProps) {
  const { classes } = usePlace();
  const [byLikeness, setByLikeness] = useState(false);
  const [share, setShare] = useState<Share>("row");
  const [counts, setCounts] = useState(true);
  const order = byLikeness ? likenessOrder(judgement) : judgement.classes.map((_, place) => place);
  return (
    <div className="w-[540px] shrink-0 overflow-y-auto border-r border-hairline px-4 py-3">
      <div className="mb-2 flex flex-wrap items-center gap-x-3 gap-y-1 text-sm">
        <Choice<string>
          label="Numbers"
          hideLabel
          value={counts ? "count" : "share"}
          onChange={(value) => setCounts(value === "count")}
          options={NUMBERS}
        />
        <Choice<Share> label="Area of" value={share} onChange={setShare} options={SHARES} />
        <Choice<string>
          label="Order"
          value={byLikeness ? "likeness" : "classes"}
          onChange={(value) => setByLikeness(value === "likeness")}
          options={ORDERS}
        />
      </div>
      <Matrix
        model={model}
        judgement={judgement}
        order={order}
        share={share}
        counts={counts}
        chosen={cells.chosen}
        onCell={cells.onCell}
      />
      <ScoreTable model={model} judgement={judgement} classes={classes} />
    </div>
  );
}

const NUMBERS = [
  { value: "count", label: "counts" },
  { value: "share", label: "shares" },
];
const SHARES: readonly { value: Share; label: string; title: string }[] = [
  { value: "row", label: "row", title: "Share of the row: recall on the diagonal" },
  { value: "column", label: "column", title: "Share of the column: precision on the diagonal" },
];
const ORDERS = [
  { value: "classes", label: "classes" },
  { value: "likeness", label: "likeness", title: "Confused classes stand together" },
];

/** The most frequent confusions, as ways to their pictures. */
function Pairs({ model, judgement, cells }: SideProps) {
  const name = (place: number) => model.classes[place]?.name ?? "";
  return (
    <div className="flex flex-wrap gap-1.5 border-b border-hairline px-4 py-2">
      {confusedPairs(judgement)
        .slice(0, 8)
        .map((pair) => {
          const key = cellKey(model, pair.truth, pair.predicted);
          return (
            <button
              key={key}
              type="button"
              aria-pressed={cells.chosen.has(key)}
              onClick={(event) => cells.onCell(key, event.ctrlKey || event.metaKey)}
              className={`rounded-control cursor-pointer border px-1.5 text-sm ${
                cells.chosen.has(key) ? "border-choice bg-choice-wash" : "border-edge hover:bg-sunken"
              }`}
            >
              <b>{pair.count}</b> {name(pair.truth)} read as {name(pair.predicted)}
            </button>
          );
        })}
    </div>
  );
}

function Judged({ model, set, look, judgement, cells }: ErrorsProps & { cells: Cells }) {
  const { project, classes } = usePlace();
  const outcomes = useOutcomes(model.id, set, cells.cells, look);
  const mending = useMending(project.id);
  const [chosen, setChosen] = useState<number>();
  const [opened, setOpened] = useState<Outcome>();
  const [labelling, setLabelling] = useState(false);
  const shown = outcomes.data ?? [];
  const some = cells.chosen.size > 0;
  const title = some
    ? `${plural(shown.length, "picture")}: ${cellWords(model, judgement, cells.chosen)}`
    : `${plural(shown.length, "error")}, the most surprising first`;
  return (
    <>
      <div className="flex items-center gap-3 px-4 pt-2">
        <h2 className="min-w-0 truncate font-semibold" data-testid="outcomes-title">
          {title}
        </h2>
        {some && (
          <Button kind="bare" onClick={() => cells.show([])}>
            Show all errors
          </Button>
        )}
        <span className="ml-auto text-sm whitespace-nowrap text-quiet">
          1–9, 0 or L mends the chosen label
        </span>
      </div>
      <OutcomeList
        shown={shown}
        model={model}
        chosen={chosen}
        mending={mending}
        onChoose={setChosen}
        onOpen={setOpened}
        onAskLabel={() => setLabelling(true)}
      >
        {outcomes.isPending && <Reading what="the pictures" />}
        {outcomes.data && !shown.length && (
          <p className="text-quiet">
            {some ? "No picture fell into this cell." : "No errors on this set. Look at the test set next."}
          </p>
        )}
      </OutcomeList>
      {opened && <JudgedPicture outcome={opened} model={model} onClose={() => setOpened(undefined)} />}
      {labelling && chosen !== undefined && (
        <LabelSheet
          title="Label 1 picture"
          classes={classes}
          onClose={() => setLabelling(false)}
          onChoose={(classId) => void mending.label([chosen], classId)}
        />
      )}
    </>
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
