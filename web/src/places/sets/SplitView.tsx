/** A split: its bars by class, how exactly it met what was wanted, its checks, and what can be done about them. */
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { type ClassOf, client, header, need, type SetName, type Split } from "../../api/client";
import { useFolds, useSplitChecks, useSplitsBeside } from "../../api/ingredientQueries";
import { colourPlace } from "../../domain/classColour";
import { percent, plural, setWords } from "../../domain/words";
import { Button } from "../../parts/Button";
import { ClassSign } from "../../parts/ClassSign";
import { useNotices } from "../../parts/Notices";
import { SetBar } from "../../parts/SetBar";

interface Props {
  projectId: number;
  classes: readonly ClassOf[];
  splits: readonly Split[];
  split: Split;
  onSplit: (split: Split) => void;
  /** Takes the sheet away, so that the pictures behind it are seen. */
  onClose: () => void;
}

const SETS: readonly SetName[] = ["training", "validation", "test"];

export function SplitView(props: Props) {
  const { splits, split, onSplit } = props;
  const [more, setMore] = useState<"folds" | "beside">();
  return (
    <div className="min-w-0" data-testid="split-counts">
      <div className="mb-1 flex flex-wrap items-baseline gap-x-3">
        {splits.length > 1 ? (
          <select
            aria-label="Split"
            value={split.id}
            onChange={(event) => {
              const chosen = splits.find((entry) => entry.id === Number(event.target.value));
              if (chosen) onSplit(chosen);
            }}
            className="rounded-control border border-edge bg-surface px-2 py-0.5 font-semibold"
          >
            {splits.map((entry) => (
              <option key={entry.id} value={entry.id}>
                {splitName(entry)}
              </option>
            ))}
          </select>
        ) : (
          <h3 className="font-semibold">{splitName(split)}</h3>
        )}
        <span className="text-sm text-quiet">{ruleWords(split)}</span>
        <span className="ml-auto text-sm text-quiet">
          {split.runs.length
            ? `used by ${split.runs.length === 1 ? "run" : "runs"} ${split.runs.join(", ")}: a change makes its next version`
            : "no run has used it yet"}
        </span>
      </div>
      <Counts {...props} />
      <Checks {...props} />
      <div className="mt-3 flex gap-2">
        <Button onClick={() => setMore(more === "folds" ? undefined : "folds")}>Folds</Button>
        {splits.length > 1 && (
          <Button onClick={() => setMore(more === "beside" ? undefined : "beside")}>
            Beside another split
          </Button>
        )}
      </div>
      {more === "folds" && <Folds {...props} />}
      {more === "beside" && <Beside {...props} />}
    </div>
  );
}

function splitName(split: Split): string {
  return split.version > 1 ? `${split.name}, version ${split.version}` : split.name;
}

function ruleWords(split: Split): string {
  const rule = split.rule as { together?: string; pattern?: string; groups?: number; from?: number };
  const how = split.method === "random" ? `at random with seed ${split.seed}` : "as the folders came";
  const together =
    rule.together === "pattern"
      ? `, kept together by ${rule.pattern}`
      : rule.together === "group"
        ? ", series kept together"
        : rule.together === "day"
          ? ", days kept together"
          : "";
  const changed = rule.from ? `, changed after split ${rule.from}` : "";
  return `${how}${together}${rule.groups ? ` in ${plural(rule.groups, "group")}` : ""}${changed}`;
}

function Counts({ classes, split }: Props) {
  const largest = Math.max(1, ...classes.map((entry) => entry.count));
  const of = (classId: number, set: SetName) => split.counts[String(classId)]?.[set] ?? 0;
  const total = (set: SetName) =>
    Object.values(split.counts).reduce((sum, entry) => sum + (entry[set] ?? 0), 0);
  const all = SETS.reduce((sum, set) => sum + total(set), 0);
  return (
    <>
      <table className="w-full">
        <thead>
          <tr className="text-left text-sm text-quiet">
            <th className="font-normal">class</th>
            <th className="w-[30%]" aria-label="shares" />
            {SETS.map((set) => (
              <th key={set} className="text-right font-normal">
                {set}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {classes.map((entry) => {
            const counts = {
              training: of(entry.id, "training"),
              validation: of(entry.id, "validation"),
              test: of(entry.id, "test"),
              none: 0,
            };
            return (
              <tr key={entry.id} className="border-t border-hairline">
                <td className="py-0.5">
                  <ClassSign place={colourPlace(entry)} sign={entry.sign} /> {entry.name}
                </td>
                <td>
                  <SetBar counts={counts} whole={largest} />
                </td>
                {SETS.map((set) => {
                  const met = split.fit.find((x) => x.class_id === entry.id && x.set_name === set);
                  return (
                    <td
                      key={set}
                      title={met && `${met.wanted.toFixed(1)} wanted${met.because && `: ${met.because}`}`}
                      className={`text-right ${counts[set] === 0 && entry.count ? "font-semibold text-wrong" : ""}`}
                    >
                      {counts[set]}
                      {met?.because && (
                        <span className="ml-1 text-xs text-quiet">of {met.wanted.toFixed(1)}</span>
                      )}
                    </td>
                  );
                })}
              </tr>
            );
          })}
        </tbody>
        <tfoot>
          <tr className="border-t border-edge font-semibold">
            <td className="py-1" colSpan={2}>
              all
            </td>
            {SETS.map((set) => (
              <td key={set} className="text-right">
                {total(set)} <span className="font-normal text-quiet">{percent(total(set), all)}</span>
              </td>
            ))}
          </tr>
        </tfoot>
      </table>
      <p className="text-sm text-quiet" data-testid="fit">
        {fitWords(split)}
      </p>
    </>
  );
}

/** How exactly the shares were met, and why not where they were not. */
function fitWords(split: Split): string {
  if (!split.fit.length) return "";
  const off = split.fit.filter((met) => met.because);
  if (!off.length) return "Every class met its shares within one picture.";
  const worst = off.reduce((a, b) => (Math.abs(b.got - b.wanted) > Math.abs(a.got - a.wanted) ? b : a));
  return `${plural(off.length, "share")} of ${split.fit.length} missed by a picture or more, at most by ${Math.abs(
    worst.got - worst.wanted,
  ).toFixed(1)}: ${worst.because}.`;
}

function Checks({ projectId, split, onSplit, onClose }: Props) {
  const { data: checks } = useSplitChecks(projectId, split.id);
  const queries = useQueryClient();
  const { say, fail } = useNotices();
  const [busy, setBusy] = useState(false);
  const path = { project_id: projectId, split_id: split.id };
  const mend = async (way: "gather" | "top-up") => {
    setBusy(true);
    try {
      const asked = { params: { path, header } };
      const done = await need(
        way === "gather"
          ? client.POST("/api/projects/{project_id}/splits/{split_id}/gather", asked)
          : client.POST("/api/projects/{project_id}/splits/{split_id}/top-up", asked),
      );
      await queries.invalidateQueries({ queryKey: ["splits"] });
      say(`${done.action.summary}.`);
      onSplit(done.split);
    } catch (error) {
      fail(error);
    }
    setBusy(false);
  };
  if (!checks) return null;
  const out = checks.left_out;
  return (
    <ul className="mt-2 flex flex-col gap-1" data-testid="checks">
      {split.warnings.map((warning) => (
        <li key={warning} className="text-wrong">
          {warning}
        </li>
      ))}
      {checks.copy_groups > 0 && (
        <li className="flex items-baseline gap-2">
          <span className="text-wrong">
            {plural(checks.copy_groups, "group")} of copies ({plural(checks.copy_pictures, "picture")}){" "}
            {checks.copy_groups === 1 ? "stands" : "stand"} in different sets: the judgement is too kind.
          </span>
          <Link
            onClick={onClose}
            className="text-choice underline"
            to={`/p/${projectId}/rows?sift=parted-copies&group=copies&split=${split.id}`}
          >
            See them
          </Link>
          <Button disabled={busy} onClick={() => void mend("gather")}>
            Put each group into one set
          </Button>
        </li>
      )}
      {checks.small.map((words) => (
        <li key={words}>
          {words} <span className="text-sm text-quiet">Wilson’s interval, 95 %.</span>
        </li>
      ))}
      {(out.none ?? 0) > 0 && (
        <li className="flex items-baseline gap-2">
          <span>{plural(out.none ?? 0, "labelled picture")} in no set.</span>
          <Link
            onClick={onClose}
            className="text-choice underline"
            to={`/p/${projectId}/rows?sift=set:none not unlabelled&split=${split.id}`}
          >
            See them
          </Link>
          <Button disabled={busy} onClick={() => void mend("top-up")} title="None that is in a set is moved">
            Top up
          </Button>
        </li>
      )}
      <li className="text-sm text-quiet">
        Left out: {out.unlabelled} unlabelled, {out.excluded} excluded, {out.unsure} unsure. The test set was{" "}
        {checks.looks
          ? `looked at ${checks.looks === 1 ? "once" : `${checks.looks} times`}`
          : "never looked at"}
        .
      </li>
    </ul>
  );
}

function Folds({ projectId, classes, split }: Props) {
  const [count, setCount] = useState(5);
  const folds = useFolds(projectId, split.id, count, split.seed);
  return (
    <section className="mt-2" data-testid="folds">
      <label className="flex items-center gap-2">
        Stratified folds of training and validation
        <input
          type="number"
          min={2}
          max={50}
          value={count}
          onChange={(event) => {
            const wanted = Number(event.target.value);
            if (wanted >= 2 && wanted <= 50) setCount(wanted);
          }}
          className="w-16 border border-edge bg-surface px-1"
        />
      </label>
      {folds.error && (
        <p role="alert" className="text-wrong">
          {folds.error.message}
        </p>
      )}
      {folds.data && (
        <table className="mt-1 text-sm">
          <tbody>
            {folds.data.folds.map((fold, n) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: a fold is its number
              <tr key={n} className="border-t border-hairline">
                <th className="pr-3 text-left font-normal">fold {n + 1}</th>
                {classes
                  .filter((entry) => entry.count)
                  .map((entry) => (
                    <td key={entry.id} className="px-2 text-right font-mono" title={entry.name}>
                      {fold[String(entry.id)] ?? 0}
                    </td>
                  ))}
                <td className="pl-3 text-right font-semibold">
                  {Object.values(fold).reduce((sum, x) => sum + x, 0)}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}

function Beside({ projectId, splits, split }: Props) {
  const others = splits.filter((entry) => entry.id !== split.id);
  const [chosen, setChosen] = useState(others[0]?.id ?? 0);
  const pairs = useSplitsBeside(projectId, split.id, chosen);
  const rows = [...SETS, null];
  const of = (first: SetName | null, second: SetName | null) =>
    pairs.data?.pairs.find((x) => x.first === first && x.second === second)?.count ?? 0;
  const moved = pairs.data?.pairs.filter((x) => x.first !== x.second).reduce((sum, x) => sum + x.count, 0);
  return (
    <section className="mt-2" data-testid="beside">
      <label className="flex items-center gap-2">
        Beside
        <select
          value={chosen}
          onChange={(event) => setChosen(Number(event.target.value))}
          className="border border-edge bg-surface px-2 py-0.5"
        >
          {others.map((entry) => (
            <option key={entry.id} value={entry.id}>
              {splitName(entry)}
            </option>
          ))}
        </select>
        {moved !== undefined && <span>{plural(moved, "picture")} stand elsewhere.</span>}
      </label>
      <table className="mt-1 text-sm">
        <thead>
          <tr className="text-quiet">
            <th className="pr-3 text-left font-normal">here ↓, there →</th>
            {rows.map((name) => (
              <th key={name ?? "none"} className="px-2 text-right font-normal">
                {setWords(name)}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((first) => (
            <tr key={first ?? "none"} className="border-t border-hairline">
              <th className="pr-3 text-left font-normal">{setWords(first)}</th>
              {rows.map((second) => (
                <td
                  key={second ?? "none"}
                  className={`px-2 text-right font-mono ${first === second ? "text-quiet" : of(first, second) ? "font-semibold" : ""}`}
                >
                  {of(first, second)}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
