/** A run's errors on one set: the matrix and the scores at the left feed the pictures at the right. */
import { useMemo, useState } from "react";
import { Link, useNavigate } from "react-router";
import type { JudgedSet, Judgement, Model } from "../../api/client";
import { type Labels, useInShort, useSlices } from "../../api/judgingQueries";
import { useAddress, usePlace } from "../../app/context";
import {
  cellKey,
  chosenWords,
  confusedPairs,
  countOf,
  isChosen,
  likenessOrder,
  pairWords,
  type Share,
  sliceWords,
} from "../../domain/matrix";
import { rowsAddress } from "../../domain/siftLine";
import { plural } from "../../domain/words";
import { Button } from "../../parts/Button";
import { Choice } from "../../parts/Choice";
import { useFieldDesk } from "../field/useFieldDesk";
import { FieldArea } from "./FieldArea";
import { Matrix } from "./Matrix";
import { MatrixFile } from "./MatrixFile";
import { ScoreTable } from "./ScoreTable";
import { useJudgedField } from "./useJudgedField";

interface ErrorsProps {
  model: Model;
  set: JudgedSet;
  look: number | undefined;
  judgement: Judgement;
  labels: Labels;
}

/** Which cells of the matrix are shown, as the address says. */
function useCells() {
  const [params, setAddress] = useAddress();
  const cells = params.get("cells") ?? "";
  const chosen = useMemo(() => new Set(cells.split(",").filter(Boolean)), [cells]);
  const show = (keys: Iterable<string>) => setAddress({ cells: [...keys].join(",") || undefined });
  const onChoose = (keys: readonly string[], add: boolean) => {
    const here = keys.every((key) => chosen.has(key));
    if (!add) show(here && chosen.size === keys.length ? [] : keys);
    else if (here) show([...chosen].filter((key) => !keys.includes(key)));
    else show(new Set([...chosen, ...keys]));
  };
  return { cells, chosen, show, onChoose };
}

type Cells = ReturnType<typeof useCells>;

export function Errors(props: ErrorsProps) {
  const { model, set, look, judgement, labels } = props;
  const cells = useCells();
  return (
    <div className="flex min-h-0 flex-1">
      <MatrixSide {...props} cells={cells} />
      <div className="flex min-w-0 flex-1 flex-col">
        <Pairs model={model} judgement={judgement} cells={cells} />
        {labels === "then" && <Slices model={model} set={set} look={look} />}
        <Judged {...props} cells={cells} />
      </div>
    </div>
  );
}

interface SideProps {
  model: Model;
  judgement: Judgement;
  cells: Cells;
}

const ACROSS = "vast-orchard-true-across";

function MatrixSide({ model, set, look, judgement, labels, cells }: ErrorsProps & { cells: Cells }) {
  const { classes } = usePlace();
  const [across, setAcross] = useState(() => localStorage.getItem(ACROSS) === "yes");
  const [asFile, setAsFile] = useState(false);
  const turn = (now: boolean) => {
    localStorage.setItem(ACROSS, now ? "yes" : "no");
    setAcross(now);
  };
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
        <Choice<string>
          label="True"
          value={across ? "across" : "down"}
          onChange={(value) => turn(value === "across")}
          options={WAYS}
        />
        <button
          type="button"
          onClick={() => setAsFile(true)}
          className="min-h-6 cursor-pointer text-choice hover:underline"
        >
          as a file
        </button>
      </div>
      <Matrix
        {...{ model, judgement, order, share, counts, across }}
        chosen={cells.chosen}
        onChoose={cells.onChoose}
      />
      {asFile && (
        <MatrixFile
          {...{ model, set, look, judgement, labels, order, share, counts, across }}
          onClose={() => setAsFile(false)}
        />
      )}
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
const WAYS = [
  { value: "down", label: "down", title: "True classes one below the other" },
  { value: "across", label: "across", title: "True classes side by side" },
];
const ORDERS = [
  { value: "classes", label: "classes" },
  { value: "likeness", label: "likeness", title: "Confused classes stand together" },
];

/** The most frequent confusions, as ways to their pictures. */
function Pairs({ model, judgement, cells }: SideProps) {
  return (
    <div className="flex max-h-[104px] shrink-0 flex-wrap gap-1.5 overflow-y-auto border-b border-hairline px-4 py-2">
      {confusedPairs(judgement)
        .slice(0, 8)
        .map((pair) => {
          const keys = [
            cellKey(model.classes, pair.truth, pair.predicted),
            ...(pair.back ? [cellKey(model.classes, pair.predicted, pair.truth)] : []),
          ];
          const words = pairWords(model.classes, pair);
          const shown = keys.every((key) => cells.chosen.has(key));
          return (
            <button
              key={keys[0]}
              type="button"
              aria-pressed={shown}
              onClick={(event) => cells.onChoose(keys, event.ctrlKey || event.metaKey || event.shiftKey)}
              title={words}
              className={`rounded-control max-w-full cursor-pointer truncate border px-1.5 text-sm ${
                shown ? "border-choice bg-choice-wash" : "border-edge hover:bg-sunken"
              }`}
            >
              <b>{pair.count}</b> {words}
            </button>
          );
        })}
    </div>
  );
}

/** Facts of pictures that go with errors, as ways to their pictures; nothing where chance explains all. */
function Slices({ model, set, look }: Pick<ErrorsProps, "model" | "set" | "look">) {
  const { project, run } = usePlace();
  // Asked for above, where it is said; here it is only read.
  const { data: told = [] } = useInShort(model.id, set, look, false);
  const any = told.some((entry) => entry.more > 0);
  const { data = [] } = useSlices(model.id, set, look, any);
  // The first one is said in short.
  const slices = data.slice(1);
  if (!slices.length) return null;
  return (
    <ul
      aria-label="Where it errs more, too"
      data-testid="slices"
      className="max-h-[76px] shrink-0 overflow-y-auto border-b border-hairline px-4 py-1.5 text-sm"
    >
      {slices.map((slice) => (
        <li key={slice.sift}>
          <Link
            className="text-choice hover:underline"
            title={`${slice.wrong} of ${slice.count} wrong. Classes are compared with themselves, and p is corrected for all that was looked at.`}
            to={rowsAddress(project.id, {
              sift: `${slice.sift} order:-loss`,
              split: run?.split_id ?? undefined,
              run: run?.id,
              like: undefined,
            })}
          >
            {sliceWords(slice)}
          </Link>
        </li>
      ))}
    </ul>
  );
}

function Judged({ model, set, look, judgement, labels, cells }: ErrorsProps & { cells: Cells }) {
  const shown = useJudgedField({ model, set, look, cells: cells.chosen, labels });
  const { project } = usePlace();
  const navigate = useNavigate();
  const inRows = (sift: string, like?: number) =>
    navigate(rowsAddress(project.id, { ...shown.asked, sift, like }));
  const parts = useFieldDesk(shown, {
    movesOn: true,
    onSift: inRows,
    onWriteSift: () => inRows(shown.asked.sift),
  });
  const chosen = parts.chosen.chosen.length;
  const some = cells.chosen.size > 0;
  return (
    <>
      <div className="flex items-center gap-3 px-4 pt-2 pb-1">
        <JudgedTitle {...{ model, judgement }} keys={cells.chosen} here={shown.data?.total} />
        {some && (
          <Button kind="bare" onClick={() => cells.show([])}>
            Show all errors
          </Button>
        )}
        <Button
          kind="bare"
          title="The same pictures by a Sift in Rows (/)"
          onClick={() => inRows(shown.asked.sift)}
        >
          In Rows
        </Button>
        <span className="ml-auto text-sm whitespace-nowrap text-quiet">
          {chosen
            ? `${plural(chosen, "picture")} chosen: 1–9, 0 or L to label`
            : "1–9, 0 or L mends the chosen label; the next follows"}
        </span>
      </div>
      <FieldArea
        shown={shown}
        parts={parts}
        nothing={
          some ? "No picture fell into this cell." : "No errors on this set. Look at the test set next."
        }
      />
    </>
  );
}

interface TitleProps {
  model: Model;
  judgement: Judgement;
  /** Of the cells that are shown; none means all errors. */
  keys: ReadonlySet<string>;
  /** Pictures that are still in the project. */
  here: number | undefined;
}

/** As many as were judged, also of those that were thrown away since. */
function JudgedTitle({ model, judgement, keys, here }: TitleProps) {
  const count = countOf(judgement, (truth, predicted) =>
    keys.size ? isChosen(model.classes, keys, truth, predicted) : truth !== predicted,
  );
  const gone = here === undefined ? 0 : count - here;
  const words = keys.size
    ? `${plural(count, "picture")}: ${chosenWords(model.classes, keys)}`
    : `${plural(count, "error")}, the most surprising first`;
  return (
    <h2 className="min-w-0 truncate font-semibold" data-testid="outcomes-title" title={words}>
      {words}
      {gone > 0 && (
        <span className="font-normal text-quiet"> ({gone.toLocaleString("en")} no longer here)</span>
      )}
    </h2>
  );
}
