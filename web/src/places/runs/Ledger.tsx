/** The list of runs, newest first or by any figure; a click shows one. */
import { useState } from "react";
import type { LedgerOrder, Run } from "../../api/client";
import { runsOf, useLedger } from "../../api/runQueries";
import { changeWords, stateWords } from "../../domain/runs";
import { duration, score } from "../../domain/words";
import { Button } from "../../parts/Button";
import { Failed } from "../../parts/States";
import { useGoOn } from "./RunMenu";

interface Head {
  readonly words: string;
  readonly order?: LedgerOrder;
  /** Small is good, so that the first click puts the smallest on top. */
  readonly rising?: boolean;
}

const HEADS: readonly Head[] = [
  { words: "run", order: "number" },
  { words: "state" },
  { words: "validation accuracy", order: "validation_accuracy" },
  { words: "loss", order: "validation_loss", rising: true },
  { words: "macro F1", order: "validation_macro_f1" },
  { words: "kept epoch" },
  { words: "time", order: "train_s", rising: true },
  { words: "network" },
  { words: "changed from the run before" },
];

interface Props {
  projectId: number;
  shown: Run;
  onShow: (run: Run) => void;
  onNetworkFile: () => void;
  onPlans: () => void;
}

export function Ledger({ projectId, shown, onShow, onNetworkFile, onPlans }: Props) {
  const [order, setOrder] = useState<LedgerOrder>("number");
  const [falling, setFalling] = useState(true);
  const ledger = useLedger(projectId, order, falling);
  const runs = runsOf(ledger.data);
  const total = ledger.data?.pages[0]?.total ?? 0;
  const sort = (head: Head) => {
    if (!head.order) return;
    setFalling(head.order === order ? !falling : !head.rising);
    setOrder(head.order);
  };
  return (
    <div className="max-h-[22%] min-h-[90px] shrink-0 overflow-auto border-t border-hairline">
      {ledger.isError && <Failed error={ledger.error} onRetry={() => void ledger.refetch()} />}
      <table className="w-full border-collapse" aria-label="Ledger">
        <thead className="sticky top-0 bg-ground">
          <tr className="text-left text-sm text-quiet">
            {HEADS.map((head) => (
              <LedgerHead
                key={head.words}
                head={head}
                way={head.order === order ? (falling ? "descending" : "ascending") : undefined}
                onSort={() => sort(head)}
              />
            ))}
            <th className="px-3 py-0.5 text-right font-normal whitespace-nowrap">
              <Button kind="bare" onClick={onPlans}>
                Plans
              </Button>
              <Button kind="bare" onClick={onNetworkFile}>
                Bring in a network
              </Button>
            </th>
          </tr>
        </thead>
        <tbody>
          {runs.map((run) => (
            <LedgerRow key={run.id} run={run} shown={run.id === shown.id} onShow={() => onShow(run)} />
          ))}
        </tbody>
      </table>
      {ledger.hasNextPage && (
        <div className="px-3 py-2">
          <Button disabled={ledger.isFetchingNextPage} onClick={() => void ledger.fetchNextPage()}>
            {ledger.isFetchingNextPage ? "Reading …" : `Show more: ${runs.length} of ${total}`}
          </Button>
        </div>
      )}
    </div>
  );
}

function LedgerHead(props: { head: Head; way: "ascending" | "descending" | undefined; onSort: () => void }) {
  const { head, way } = props;
  return (
    <th
      aria-sort={way ?? (head.order ? "none" : undefined)}
      className="px-3 py-1 font-normal whitespace-nowrap"
    >
      {head.order ? (
        <button type="button" onClick={props.onSort} className="cursor-pointer hover:text-ink">
          {head.words}
          <span aria-hidden="true">{way === "descending" ? " ↓" : way === "ascending" ? " ↑" : ""}</span>
        </button>
      ) : (
        head.words
      )}
    </th>
  );
}

function LedgerRow({ run, shown, onShow }: { run: Run; shown: boolean; onShow: () => void }) {
  const judged = run.validation;
  const changes = changeWords(run);
  const goOn = useGoOn(run);
  return (
    <tr
      aria-selected={shown}
      className={`cursor-pointer border-t border-hairline whitespace-nowrap ${
        shown ? "bg-choice-wash" : "hover:bg-sunken"
      }`}
      onClick={onShow}
    >
      <td className="px-3 py-1">
        <button type="button" className="cursor-pointer font-semibold" onClick={onShow}>
          {run.number}
        </button>{" "}
        {run.name && (
          <span className="ml-1 inline-block max-w-[160px] truncate align-bottom" title={run.name}>
            {run.name}
          </span>
        )}
      </td>
      <td className={`px-3 ${run.ended_by === "failed" ? "text-wrong" : ""}`}>
        {stateWords(run)}
        {run.ended_by === "failed" && (
          <button
            type="button"
            aria-label={`Try run ${run.number} again`}
            className="ml-2 min-h-6 cursor-pointer text-choice hover:underline"
            onClick={(event) => {
              event.stopPropagation();
              goOn();
            }}
          >
            try again
          </button>
        )}
      </td>
      <td className="px-3">
        {judged ? (
          <>
            <b>{score(judged.accuracy)}</b>{" "}
            <span className="text-quiet">
              {judged.right} of {judged.count}, {score(judged.accuracy_interval[0])}–
              {score(judged.accuracy_interval[1])}
            </span>
          </>
        ) : (
          "–"
        )}
      </td>
      <td className="px-3">{judged ? score(judged.loss) : "–"}</td>
      <td className="px-3">{judged ? score(judged.macro_f1) : "–"}</td>
      <td className="px-3">{run.model?.epoch || "–"}</td>
      <td className="px-3">{run.train_s === null ? "–" : duration(run.train_s)}</td>
      <td className="px-3">
        {run.recipe.network}, {run.recipe.preprocessing.size} px
      </td>
      {/* Takes what is left of the width, so that the table never goes beyond it. */}
      <td colSpan={2} className="w-full max-w-0 truncate px-3" title={changes}>
        {changes}
      </td>
    </tr>
  );
}
