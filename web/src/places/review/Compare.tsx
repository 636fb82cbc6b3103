/** The run on show beside up to three others: is one of them better, by what, and what made the difference? */
import { Link } from "react-router";
import type { Comparison, Run } from "../../api/client";
import { useComparison } from "../../api/judgingQueries";
import { runsOf, useEpochsOf, useLedger } from "../../api/runQueries";
import { useAddress, usePlace } from "../../app/context";
import { cautions, pairWords } from "../../domain/comparison";
import { jobWords } from "../../domain/jobs";
import { comparedValue, pathWords } from "../../domain/runs";
import { rowsAddress } from "../../domain/siftLine";
import { plural, score } from "../../domain/words";
import { Button, buttonLook } from "../../parts/Button";
import { Failed, Reading } from "../../parts/States";
import { type Looks, useLooks } from "../looks/useLook";
import { ChangedMatrix } from "./ChangedMatrix";
import { ComparedCurves } from "./ComparedCurves";
import { CostFront } from "./CostFront";
import { SIGNS } from "./compareSigns";
import { Mending } from "./Mending";

const MOST = 4;

export function Compare({ run }: { run: Run }) {
  const { project } = usePlace();
  const [params] = useAddress();
  const all = runsOf(useLedger(project.id).data);
  const others = (params.get("with") ?? "")
    .split(",")
    .map(Number)
    .filter((id) => id > 0 && id !== run.id)
    .slice(0, MOST - 1);
  // The run on show comes last: what is compared is what it made of the others.
  const ids = [...others, run.id];
  const runs = ids.map((id) => (id === run.id ? run : all.find((entry) => entry.id === id)));
  const looking = useLooks(runs.map((entry) => entry?.model?.id));
  const found = useComparison(project.id, ids, looking.looks, !looking.judging);
  const epochs = useEpochsOf(ids);
  return (
    <div className="flex min-h-0 flex-1" data-testid="compare">
      <div className="w-[520px] shrink-0 overflow-y-auto border-r border-hairline px-4 py-3">
        <Others run={run} chosen={others} />
        {others.length > 0 && <OnTest looking={looking} runs={runs} />}
        {!others.length ? (
          <p className="mt-3 text-quiet">
            Choose a run to hold run {run.number} against: scores on the pictures that both share, whether the
            difference could be chance, and what was changed between them.
          </p>
        ) : found.error ? (
          <Failed error={found.error} onRetry={() => void found.refetch()} />
        ) : !found.data ? (
          <Reading what="the runs" />
        ) : (
          <Found found={found.data} test={looking.looks !== undefined} />
        )}
      </div>
      {found.data && others.length > 0 && (
        <div className="flex min-w-0 flex-1 flex-col gap-4 overflow-y-auto px-5 py-3">
          <ComparedCurves runs={found.data.runs} epochs={epochs.map((entry) => entry.data ?? [])} />
          <div className="flex flex-wrap gap-6">
            {found.data.pair && <ChangedMatrix found={found.data} />}
            <CostFront found={found.data} />
          </div>
        </div>
      )}
    </div>
  );
}

/** The test sets of all of them, by a look at each. */
function OnTest({ looking, runs }: { looking: Looks; runs: readonly (Run | undefined)[] }) {
  if (looking.judging) return <p className="mt-2 text-quiet">{jobWords(looking.judging)} …</p>;
  if (looking.looks)
    return (
      <p className="mt-2">
        On test pictures that are in no other set of these runs; {plural(runs.length, "look")} counted.{" "}
        <Button onClick={looking.drop}>Back to validation</Button>
      </p>
    );
  return (
    <p className="mt-2">
      <Button
        disabled={!runs.every((entry) => entry?.counts.test)}
        onClick={looking.take}
        title="Validation chooses, test judges: a look is counted for each of the runs"
      >
        Compare on the test set{" "}
        <span className="text-quiet">
          ({runs.map((entry) => entry?.model?.looks ?? 0).join(", ")} looks so far)
        </span>
      </Button>
    </p>
  );
}

/** Which runs it is held against, and another one. */
function Others({ run, chosen }: { run: Run; chosen: readonly number[] }) {
  const { project } = usePlace();
  const [, setAddress] = useAddress();
  const ledger = useLedger(project.id);
  const set = (ids: readonly number[]) => setAddress({ with: ids.join(",") || undefined });
  const runs = runsOf(ledger.data).filter((entry) => entry.id !== run.id && entry.validation);
  const left = runs.filter((entry) => !chosen.includes(entry.id));
  const name = (id: number) => {
    const entry = runs.find((other) => other.id === id);
    return entry ? `run ${entry.number}` : "a run";
  };
  return (
    <div className="flex flex-wrap items-center gap-2">
      <b>Run {run.number}</b> against
      {chosen.map((id) => (
        <button
          key={id}
          type="button"
          title="Not any more"
          onClick={() => set(chosen.filter((other) => other !== id))}
          className="rounded-control cursor-pointer border border-edge px-1.5 hover:bg-sunken"
        >
          {name(id)} <span aria-hidden="true">×</span>
        </button>
      ))}
      {chosen.length < MOST - 1 && left.length > 0 && (
        <select
          aria-label="Another run to compare with"
          className="rounded-control cursor-pointer border border-edge bg-surface"
          value=""
          onChange={(event) => set([...chosen, Number(event.target.value)])}
        >
          <option value="">{chosen.length ? "and another …" : "choose a run …"}</option>
          {left.map((entry) => (
            <option key={entry.id} value={entry.id}>
              run {entry.number}
              {entry.name ? `, ${entry.name}` : ""}, {score(entry.validation?.accuracy)}
            </option>
          ))}
        </select>
      )}
      {!runs.length && !ledger.isPending && (
        <span className="text-quiet">there is no other run that was judged yet</span>
      )}
    </div>
  );
}

function Found({ found, test }: { found: Comparison; test: boolean }) {
  return (
    <>
      {found.pair && (
        <p className="mt-3 text-lg font-semibold" data-testid="pair">
          {pairWords(found)}
        </p>
      )}
      <ul className="mt-1 text-sm text-quiet">
        {cautions(found).map((words) => (
          <li key={words}>{words}</li>
        ))}
      </ul>
      {found.pair && !test && <PairPictures found={found} />}
      <Mending found={found} />
      <Scores found={found} />
      <Differences found={found} />
    </>
  );
}

/** The pictures that turned, as Sifts in Rows. */
function PairPictures({ found }: { found: Comparison }) {
  const { project, run } = usePlace();
  const [first, second] = found.runs;
  if (!first || !second) return null;
  const way = (word: "mended" | "broken") =>
    rowsAddress(project.id, {
      sift: `${word}:${first.number} order:-loss`,
      split: run?.split_id ?? undefined,
      run: second.id,
      like: undefined,
    });
  return (
    <p className="mt-2 flex gap-2">
      <Link className={buttonLook()} to={way("mended")}>
        Now right
      </Link>
      <Link className={buttonLook()} to={way("broken")}>
        Now wrong
      </Link>
    </p>
  );
}

function Scores({ found }: { found: Comparison }) {
  return (
    <table
      className="mt-3 w-full text-sm"
      aria-label="Scores on common pictures"
      data-testid="compared-scores"
    >
      <thead>
        <tr className="text-quiet">
          <th className="text-left font-normal">run</th>
          <th className="text-right font-normal">accuracy</th>
          <th className="pl-3 text-left font-normal">of, 95 %</th>
          <th className="text-right font-normal">macro F1</th>
        </tr>
      </thead>
      <tbody>
        {found.runs.map((run, place) => (
          <tr key={run.id} className="border-t border-hairline">
            <td className="max-w-40 truncate py-0.5">
              <b>{SIGNS[place]}</b> run {run.number} <span className="text-quiet">{run.name}</span>
            </td>
            <td className="text-right font-mono font-semibold">{score(run.accuracy)}</td>
            <td className="pl-3 font-mono text-quiet">
              {run.right}/{run.count}, {score(run.accuracy_interval[0])}–{score(run.accuracy_interval[1])}
            </td>
            <td className="text-right font-mono">{score(run.macro_f1)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Differences({ found }: { found: Comparison }) {
  if (!found.differences.length)
    return <p className="mt-3 text-sm">They were made of the same: pictures, settings and seed.</p>;
  return (
    <table className="mt-3 w-full text-sm" aria-label="What differs" data-testid="differences">
      <thead>
        <tr className="text-quiet">
          <th className="text-left font-normal">only what differs</th>
          {found.runs.map((run, place) => (
            <th key={run.id} className="pl-3 text-left font-normal">
              {SIGNS[place]} run {run.number}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {found.differences.map(({ what, values }) => (
          <tr key={what} className="border-t border-hairline align-top">
            <td className="py-0.5">{pathWords(what)}</td>
            {values.map((value, place) => (
              <td key={found.runs[place]?.id} className="pl-3 wrap-anywhere">
                {comparedValue(what, value)}
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}
