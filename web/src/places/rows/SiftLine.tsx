/** The Sift: one line that says which pictures are on show. It completes, and marks where a mistake stands. */
import { useId } from "react";
import type { Completion, Problem } from "../../api/client";
import { onSiftKey, type SiftAsked, type SiftLineState, useSiftLine } from "./useSiftLine";

export const SIFT_INPUT = "sift-line";

export function SiftLine(props: SiftAsked) {
  const list = useId();
  const line = useSiftLine(props);
  const { offered, mistake } = line;
  return (
    <div className="relative min-w-0 flex-1">
      <div
        className={`rounded-control flex items-center border bg-surface focus-within:outline-2 focus-within:outline-choice ${
          mistake ? "border-wrong" : "border-edge"
        }`}
      >
        <label htmlFor={SIFT_INPUT} className="pl-2 text-quiet">
          Sift
        </label>
        <div className="relative min-w-0 flex-1">
          {mistake?.place && <MistakeMark text={line.draft} place={mistake.place} />}
          <LineInput line={line} list={list} />
        </div>
        {props.asked.sift && (
          <button
            type="button"
            className="cursor-pointer px-2 text-quiet hover:underline"
            onClick={line.clear}
          >
            Show all
          </button>
        )}
      </div>
      {offered.length > 0 && (
        <Completions id={list} offered={offered} picked={line.picked} onWrite={line.write} />
      )}
      {mistake && offered.length === 0 && <Mistake id={`${list}-mistake`} problem={mistake} />}
    </div>
  );
}

function LineInput({ line, list }: { line: SiftLineState; list: string }) {
  return (
    <input
      ref={line.input}
      id={SIFT_INPUT}
      role="combobox"
      aria-expanded={line.offered.length > 0}
      aria-controls={list}
      aria-autocomplete="list"
      aria-activedescendant={line.picked >= 0 ? `${list}-${line.picked}` : undefined}
      aria-invalid={line.mistake !== undefined}
      aria-describedby={line.mistake ? `${list}-mistake` : undefined}
      autoComplete="off"
      spellCheck={false}
      maxLength={2000}
      placeholder="class:plate set:validation, wrong, name:ridge …"
      className="relative w-full bg-transparent px-2 py-1 font-mono text-sm outline-none"
      value={line.draft}
      onChange={({ target }) => line.change(target.value, target.selectionStart ?? target.value.length)}
      onClick={(event) => line.setCursor(event.currentTarget.selectionStart ?? line.draft.length)}
      onBlur={line.blur}
      onKeyDown={(event) => onSiftKey(line, event)}
    />
  );
}

interface CompletionsProps {
  id: string;
  offered: readonly Completion[];
  picked: number;
  onWrite: (entry: Completion) => void;
}

function Completions({ id, offered, picked, onWrite }: CompletionsProps) {
  return (
    <div
      id={id}
      role="listbox"
      aria-label="What could stand here"
      className="shadow-float absolute top-full left-0 z-40 mt-0.5 max-h-80 w-[520px] overflow-y-auto border border-hairline bg-surface py-1"
    >
      {offered.map((entry, place) => (
        <div
          key={entry.text}
          id={`${id}-${place}`}
          role="option"
          tabIndex={-1}
          aria-selected={place === picked}
          ref={(element) => {
            if (place === picked) element?.scrollIntoView({ block: "nearest" });
          }}
          className={`flex cursor-pointer items-baseline gap-3 px-2 py-0.5 ${place === picked ? "bg-choice-wash" : "hover:bg-sunken"}`}
          // Before the line loses the focus.
          onPointerDown={(event) => {
            event.preventDefault();
            onWrite(entry);
          }}
        >
          <span className="min-w-[110px] font-mono text-sm">{entry.text}</span>
          <span className="min-w-0 flex-1 truncate text-sm text-quiet">{entry.words}</span>
          {entry.count !== null && (
            <span className="text-sm text-quiet">{entry.count.toLocaleString("en")}</span>
          )}
        </div>
      ))}
    </div>
  );
}

function Mistake({ id, problem }: { id: string; problem: Problem }) {
  return (
    <p
      id={id}
      role="alert"
      data-testid="sift-mistake"
      className="shadow-float absolute top-full left-0 z-30 mt-0.5 border border-wrong bg-surface px-2 py-1 text-sm"
    >
      <span className="font-semibold">{problem.what}</span> {problem.mend}
    </p>
  );
}

/** Underlines the mistake: the same text in the same letters, unseen but for its line. */
function MistakeMark({ text, place: [first, last] }: { text: string; place: readonly [number, number] }) {
  const wrong = text.slice(first, Math.max(last, first + 1)) || " ";
  return (
    <span
      aria-hidden="true"
      className="pointer-events-none absolute inset-0 overflow-hidden px-2 py-1 font-mono text-sm whitespace-pre text-transparent"
    >
      {text.slice(0, first)}
      <span className="bg-wrong-wash underline decoration-wrong decoration-wavy decoration-2">{wrong}</span>
    </span>
  );
}
