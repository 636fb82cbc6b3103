/** What is drawn, for which pictures it is, and the rules that hold. */
import type { ReactNode } from "react";
import type { FreshBy } from "../../api/areaQueries";
import type { AreaRule } from "../../api/client";
import { areaFrom, areaWords, type Box, fillWords, ruleFor, without } from "../../domain/area";
import { plural } from "../../domain/words";
import { Choice } from "../../parts/Choice";
import { Help } from "../../parts/Help";
import { NumberField } from "../../parts/NumberField";
import type { AreaDraft, Tool, Way } from "./useAreaDraft";

/** Whom an area is for: by a rule, or as the pictures' own. */
export type Whom = "all" | "sift" | "own";

const WAYS: readonly { value: Way; label: string; title: string }[] = [
  { value: "whole", label: "all of it", title: "The whole picture counts" },
  { value: "part", label: "a part", title: "A part that is drawn counts, or what is not covered" },
  { value: "found", label: "what stands out", title: "What stands out from the ground counts" },
];

const TOOLS: readonly { value: Tool; label: string; title: string }[] = [
  { value: "keep", label: "keep", title: "Drag the part that is kept (K)" },
  { value: "box", label: "cover box", title: "Drag a box that is covered (B)" },
  {
    value: "shape",
    label: "cover shape",
    title: "Set the corners of a shape that is covered; Enter or double click closes it (P)",
  },
];

export function DrawnFields({ draft }: { draft: AreaDraft }) {
  const { area, way } = draft;
  return (
    <>
      <Choice label="Counts" hideLabel value={way} options={WAYS} onChange={draft.setWay} />
      {way === "found" && (
        <NumberField
          label="Margin, %"
          help="Around what stands out, of its own sides. 5 to 15 is usual."
          guide="preprocessing#working-area"
          value={Math.round(100 * (area.margin ?? 0))}
          min={0}
          max={100}
          onChange={(percent) => draft.take({ ...area, margin: percent / 100 })}
        />
      )}
      {way === "found" ? (
        <p className="text-sm text-quiet">
          What is covered under “a part” does not stand out. Where nothing does, the whole picture counts.
        </p>
      ) : (
        <>
          <Choice label="Draw" hideLabel value={draft.tool} options={TOOLS} onChange={draft.setTool} />
          <p className="text-sm text-quiet">
            <Help guide="preprocessing#working-area">
              {draft.tool === "shape"
                ? "Press for each corner; Enter or a double click closes the shape."
                : "Drag on any picture; Enter sets one for the arrow keys to move, with Shift to stretch."}
            </Help>
          </p>
        </>
      )}
      {way === "part" && area.keep && <KeptNumbers draft={draft} keep={area.keep} />}
      {area.covered.length > 0 && <Covered draft={draft} />}
    </>
  );
}

const SIDES = ["left", "top", "right", "bottom"] as const;

function KeptNumbers({ draft, keep }: { draft: AreaDraft; keep: Box }) {
  const { area } = draft;
  const put = (at: number, percent: number) => {
    const next = keep.map((value, side) => (side === at ? percent / 100 : value)) as unknown as Box;
    if (next[2] > next[0] && next[3] > next[1]) draft.take({ ...area, keep: next });
  };
  return (
    <fieldset className="grid grid-cols-4 gap-1.5">
      <legend className="mb-1 flex w-full items-center text-quiet">
        Kept, % of the sides
        <Remove label="Keep all of it" onClick={() => draft.take(without(area, "keep"))} />
      </legend>
      {SIDES.map((side, at) => (
        <label key={side} className="text-xs text-quiet">
          {side}
          <input
            type="number"
            min={0}
            max={100}
            value={Math.round(1000 * (keep[at] ?? 0)) / 10}
            onFocus={() => draft.choose("keep")}
            onChange={(event) => put(at, Number(event.target.value))}
            className="rounded-control w-full border border-edge bg-surface px-1 py-0.5 text-right font-mono text-sm text-ink"
          />
        </label>
      ))}
    </fieldset>
  );
}

function Remove({ label, onClick }: { label: string; onClick: () => void }) {
  return (
    <button
      type="button"
      aria-label={label}
      title={label}
      onClick={onClick}
      className="ml-auto cursor-pointer px-1.5 text-quiet hover:text-wrong"
    >
      ×
    </button>
  );
}

function Covered({ draft }: { draft: AreaDraft }) {
  const { area, part } = draft;
  return (
    <div>
      <ul aria-label="Covered parts">
        {area.covered.map((points, at) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: covered parts have no other name
          <li key={at} className={`flex items-center ${part === at ? "bg-choice-wash" : ""}`}>
            <button
              type="button"
              aria-pressed={part === at}
              className="cursor-pointer px-1 hover:underline"
              onClick={() => draft.choose(part === at ? undefined : at)}
            >
              covered {at + 1}, {points.length} corners
            </button>
            <Remove label={`Do not cover ${at + 1}`} onClick={() => draft.take(without(area, at))} />
          </li>
        ))}
      </ul>
      <div className="mt-1 flex items-center gap-2">
        <Choice
          label="by"
          value={area.fill ? "colour" : "mean"}
          options={[
            { value: "mean", label: "its mean", title: "The mean colour of what is left of the picture" },
            { value: "colour", label: "a colour", title: "One colour in every picture" },
          ]}
          onChange={(way) => draft.take({ ...area, fill: way === "mean" ? null : [0, 0, 0] })}
        />
        {area.fill && (
          <input
            type="color"
            aria-label="Covering colour"
            value={fillWords(area.fill)}
            onChange={(event) =>
              draft.take({
                ...area,
                fill: [1, 3, 5].map((at) => Number.parseInt(event.target.value.slice(at, at + 2), 16)),
              })
            }
            className="h-6 w-10 cursor-pointer border border-edge"
          />
        )}
      </div>
    </div>
  );
}

interface WhomProps {
  whom: Whom;
  chosen: number;
  sift: string;
  /** What is wrong with the Sift. */
  wrong: string | undefined;
  onWhom: (whom: Whom) => void;
  onSift: (sift: string) => void;
}

export function WhomFields({ whom, chosen, sift, wrong, onWhom, onSift }: WhomProps) {
  return (
    <Titled title="For">
      <Choice
        label="For"
        hideLabel
        value={whom}
        onChange={onWhom}
        options={[
          { value: "all", label: "all", title: "All pictures, by one rule" },
          { value: "sift", label: "by a Sift", title: "Pictures that a Sift lets through, by one rule" },
          ...(chosen
            ? ([
                {
                  value: "own",
                  label: `${chosen.toLocaleString("en")} chosen`,
                  title: "The chosen pictures, as their own: it goes before every rule",
                },
              ] as const)
            : []),
        ]}
      />
      {whom === "sift" && (
        <input
          aria-label="Sift of the rule"
          value={sift}
          spellCheck={false}
          placeholder="width>200 name:ridge"
          onChange={(event) => onSift(event.target.value)}
          className="rounded-control mt-1.5 w-full border border-edge bg-surface px-2 py-1 font-mono text-sm"
        />
      )}
      <p className={`mt-1 text-sm ${wrong ? "text-wrong" : "text-quiet"}`} role={wrong ? "alert" : undefined}>
        {wrong ?? WHOM_WORDS[whom]}
      </p>
    </Titled>
  );
}

const WHOM_WORDS: Readonly<Record<Whom, string>> = {
  all: "One rule, whatever comes in later.",
  sift: "By facts of the file, never by the class: that would tell the network the answer, and a new picture has none yet.",
  own: "Goes before every rule.",
};

function Titled({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section className="border-t border-hairline pt-2">
      <h3 className="mb-1 font-semibold">{title}</h3>
      {children}
    </section>
  );
}

export function FreshField({ freshBy, onChange }: { freshBy: FreshBy; onChange: (by: FreshBy) => void }) {
  return (
    <Titled title="A picture from elsewhere gets">
      <Choice
        label="A picture from elsewhere gets"
        hideLabel
        value={freshBy}
        onChange={onChange}
        options={[
          { value: "rule", label: "the rule for all", title: "The part of the rule for all pictures" },
          { value: "found", label: "what stands out", title: "What stands out of it, with the margin" },
          { value: "whole", label: "all of it", title: "It counts whole" },
        ]}
      />
      <p className="mt-1 text-sm text-quiet">When it is tried, and in every exported model.</p>
    </Titled>
  );
}

interface RulesProps {
  rules: readonly AreaRule[];
  counts: { own: number; by_rule: number; whole: number } | undefined;
  onEdit: (rule: AreaRule) => void;
  onRemove: (sift: string) => void;
}

export function RulesNow({ rules, counts, onEdit, onRemove }: RulesProps) {
  return (
    <Titled title="Rules now">
      {rules.length === 0 && <p className="text-sm text-quiet">None: every picture counts whole.</p>}
      <ol aria-label="Rules now">
        {rules.map((rule) => (
          <li key={rule.sift} className="flex items-start">
            <button
              type="button"
              className="min-w-0 cursor-pointer text-left hover:underline"
              title="Change it"
              onClick={() => onEdit(rule)}
            >
              <span className={rule.sift ? "font-mono text-sm" : ""}>{ruleFor(rule.sift)}</span>:{" "}
              <span className="text-quiet">{areaWords(areaFrom(rule.area))}</span>
            </button>
            <Remove label={`Remove the rule for ${ruleFor(rule.sift)}`} onClick={() => onRemove(rule.sift)} />
          </li>
        ))}
      </ol>
      {counts && (
        <p className="mt-1 text-sm text-quiet" data-testid="area-counts">
          {plural(counts.by_rule, "picture")} by a rule, {counts.own.toLocaleString("en")} by their own,{" "}
          {counts.whole.toLocaleString("en")} whole
        </p>
      )}
    </Titled>
  );
}
