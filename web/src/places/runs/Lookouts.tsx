/** Lookouts beside the curves, each as it stands; what one found stands out and can be mended on the Run sheet. */
import { useState } from "react";
import { Link } from "react-router";
import type { Lookout, Recipe, Run } from "../../api/client";
import { usePlace } from "../../app/context";
import { passage } from "../../domain/guide";
import { byQuestion, found, lookoutsWords, standingWords } from "../../domain/lookouts";
import { recipeOf } from "../../domain/start";
import { Button } from "../../parts/Button";
import { Help } from "../../parts/Help";
import { useNotices } from "../../parts/Notices";

/** The narrow column: all of them, whether they have something to say or not. */
export function LookoutList({ lookouts }: { lookouts: readonly Lookout[] }) {
  return (
    <section
      aria-label="Lookouts"
      data-testid="lookouts"
      className="w-[204px] shrink-0 overflow-y-auto text-[13px] leading-[18px]"
      // biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls is reached by keys
      tabIndex={0}
    >
      <p className="mb-1 text-quiet">
        <Help guide={passage("training", "Lookouts")}>{lookoutsWords(lookouts)}</Help>
      </p>
      {byQuestion(lookouts).map((question) => (
        <div key={question.id} className="mb-1.5">
          <h3 className="font-semibold">{question.words}</h3>
          <ul>
            {question.lookouts.map((entry) => (
              <Line key={`${entry.question}-${entry.id}`} lookout={entry} />
            ))}
          </ul>
        </div>
      ))}
    </section>
  );
}

const MARK = { early: "·", quiet: "–", found: "!" } as const;

function Line({ lookout }: { lookout: Lookout }) {
  const alarmed = lookout.standing === "found";
  return (
    <li
      className={`flex items-baseline gap-1.5 ${alarmed ? "font-semibold text-wrong" : lookout.standing === "early" ? "text-quiet" : ""}`}
      title={`${lookout.words}: ${standingWords(lookout)}. It looks at: ${lookout.measures}.`}
      data-lookout={lookout.id}
      data-standing={lookout.standing}
    >
      <span aria-hidden className="w-2 shrink-0 text-center">
        {MARK[lookout.standing]}
      </span>
      <span className="min-w-0 truncate">{lookout.words}</span>
      <span className="sr-only">: {standingWords(lookout)}</span>
      {lookout.act === "end" && <span className="ml-auto shrink-0 font-normal text-quiet">ends it</span>}
    </li>
  );
}

/** So that the curves stay in sight. */
const FEW = 2;

interface FoundProps {
  run: Run;
  lookouts: readonly Lookout[];
  /** Lays a recipe onto the Run sheet. */
  onRecipe: (recipe: Recipe) => void;
}

/** What was found, each with why it matters and what to do. */
export function FoundList({ run, lookouts, onRecipe }: FoundProps) {
  const [whole, setWhole] = useState(false);
  const all = found(lookouts, run.ending?.lookout ?? "");
  if (!all.length) return null;
  const shown = whole ? all : all.slice(0, FEW);
  return (
    <ul className="mx-5 mt-2 border-y border-hairline" data-testid="found">
      {shown.map((entry) => (
        <li
          key={`${entry.question}-${entry.id}`}
          className="flex items-start gap-3 py-1 not-first:border-t not-first:border-hairline"
        >
          <p className="min-w-0 flex-1 leading-5">
            <b className="text-wrong">{entry.words}</b>{" "}
            <span className="text-quiet">{standingWords(entry)}.</span> {entry.why} {entry.mend}
          </p>
          <Mend run={run} lookout={entry} onRecipe={onRecipe} />
        </li>
      ))}
      {all.length > FEW && (
        <li className="border-t border-hairline">
          <button
            type="button"
            onClick={() => setWhole(!whole)}
            className="min-h-6 cursor-pointer text-choice hover:underline"
          >
            {whole ? "fewer" : `${all.length - FEW} more, which may come of it`}
          </button>
        </li>
      )}
    </ul>
  );
}

/** Changes on the Run sheet, for the next run: this one stays what it is. */
function Mend({
  run,
  lookout,
  onRecipe,
}: {
  run: Run;
  lookout: Lookout;
  onRecipe: (recipe: Recipe) => void;
}) {
  const { say } = useNotices();
  const { project } = usePlace();
  const changes = Object.entries(lookout.change);
  const lay = () => {
    const recipe = recipeOf(run);
    onRecipe({ ...recipe, settings: { ...recipe.settings, ...lookout.change } });
    say(`The Run sheet is as for run ${run.number}, with ${changeWords(changes)}.`);
  };
  return (
    <span className="flex shrink-0 flex-wrap items-center justify-end gap-2">
      {changes.length > 0 && (
        <Button onClick={lay} title={`Sets ${changeWords(changes)} on the Run sheet`}>
          Change the Run sheet
        </Button>
      )}
      {lookout.leads_to && LEADS[lookout.leads_to] && (
        <Link
          to={`/p/${project.id}/${LEADS[lookout.leads_to]?.to}`}
          className="text-choice whitespace-nowrap underline"
        >
          {LEADS[lookout.leads_to]?.words}
        </Link>
      )}
    </span>
  );
}

const LEADS: Record<string, { to: string; words: string }> = {
  copies: { to: "rows?group=copies&sift=copies", words: "Look for copies" },
  divide: { to: "runs?part=divide", words: "Divide anew" },
  network: { to: "runs?part=network", words: "Change the network" },
  variation: { to: "runs?part=variation", words: "Vary the pictures" },
  rows: { to: "rows", words: "Look at the pictures" },
};

function changeWords(changes: readonly [string, unknown][]): string {
  return changes.map(([name, value]) => `${name.replaceAll("_", " ")} ${value}`).join(" and ");
}
