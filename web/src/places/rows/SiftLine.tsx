/** The Sift: one line that says which pictures are on show. It completes, and marks where a mistake stands. */
import { type KeyboardEvent, useEffect, useId, useLayoutEffect, useRef, useState } from "react";
import { asProblemOf, type Completion } from "../../api/client";
import { type FieldQuery, useCompletions } from "../../api/queries";

interface Props {
  projectId: number;
  asked: FieldQuery;
  /** What is wrong with the Sift in the address. */
  error: unknown;
  onSift: (sift: string) => void;
  /** Leads back into the field. */
  onLeave: () => void;
}

export const SIFT_INPUT = "sift-line";

export function SiftLine({ projectId, asked, error, onSift, onLeave }: Props) {
  const [draft, setDraft] = useState(asked.sift);
  const [cursor, setCursor] = useState<number>();
  const [picked, setPicked] = useState(-1);
  const input = useRef<HTMLInputElement>(null);
  const list = useId();
  // Where the cursor belongs once the line is rewritten; before the next key, which may come at once.
  const caret = useRef<number>(undefined);
  useLayoutEffect(() => {
    if (caret.current === undefined) return;
    input.current?.setSelectionRange(caret.current, caret.current);
    caret.current = undefined;
  });
  useEffect(() => setDraft(asked.sift), [asked.sift]);
  const completions = useCompletions(projectId, asked, draft, cursor);
  const offered = cursor === undefined ? [] : (completions.data ?? []);
  const problem = error ? asProblemOf(error) : undefined;
  // What else can go wrong is said where the field would be.
  const mistake = problem?.place && draft === asked.sift ? problem : undefined;

  const write = (entry: Completion) => {
    const at = cursor ?? draft.length;
    const open = /[:<]$/.test(entry.text);
    const text = `${draft.slice(0, entry.start)}${entry.text}${open ? "" : " "}`;
    const rest = draft.slice(at).trimStart();
    setDraft(text + rest);
    setCursor(text.length);
    setPicked(-1);
    caret.current = text.length;
  };

  const keep = () => {
    const sift = draft.trim();
    setDraft(sift);
    setCursor(undefined);
    setPicked(-1);
    onSift(sift);
  };

  const onKeyDown = (event: KeyboardEvent<HTMLInputElement>) => {
    const entry = offered[picked];
    if (event.key === "ArrowDown" || event.key === "ArrowUp") {
      const by = event.key === "ArrowDown" ? 1 : -1;
      setCursor((now) => now ?? input.current?.selectionStart ?? draft.length);
      setPicked((now) => Math.max(-1, Math.min(offered.length - 1, now + by)));
    } else if (event.key === "Tab" && !event.shiftKey && cursor !== undefined && (entry ?? offered[0])) {
      write((entry ?? offered[0]) as Completion);
    } else if (event.key === "Enter") {
      if (entry) write(entry);
      else {
        keep();
        onLeave();
      }
    } else if (event.key === "Escape") {
      if (cursor !== undefined) setCursor(undefined);
      else {
        setDraft(asked.sift);
        onLeave();
      }
    } else return;
    event.preventDefault();
    event.stopPropagation();
  };

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
          {mistake?.place && <MistakeMark text={draft} place={mistake.place} />}
          <input
            ref={input}
            id={SIFT_INPUT}
            role="combobox"
            aria-expanded={offered.length > 0}
            aria-controls={list}
            aria-autocomplete="list"
            aria-activedescendant={picked >= 0 ? `${list}-${picked}` : undefined}
            aria-invalid={mistake !== undefined}
            aria-describedby={mistake ? `${list}-mistake` : undefined}
            autoComplete="off"
            spellCheck={false}
            maxLength={2000}
            placeholder="class:plate set:validation, wrong, name:ridge …"
            className="relative w-full bg-transparent px-2 py-1 font-mono text-sm outline-none"
            value={draft}
            onChange={(event) => {
              setDraft(event.target.value);
              setCursor(event.target.selectionStart ?? event.target.value.length);
              setPicked(-1);
            }}
            onClick={(event) => setCursor(event.currentTarget.selectionStart ?? draft.length)}
            onBlur={() => {
              setCursor(undefined);
              if (draft.trim() !== asked.sift) keep();
            }}
            onKeyDown={onKeyDown}
          />
        </div>
        {asked.sift && (
          <button
            type="button"
            className="cursor-pointer px-2 text-quiet hover:underline"
            onClick={() => {
              setDraft("");
              onSift("");
            }}
          >
            Show all
          </button>
        )}
      </div>
      {offered.length > 0 && (
        <div
          id={list}
          role="listbox"
          aria-label="What could stand here"
          className="shadow-float absolute top-full left-0 z-40 mt-0.5 max-h-80 w-[520px] overflow-y-auto border border-hairline bg-surface py-1"
        >
          {offered.map((entry, place) => (
            <div
              key={entry.text}
              id={`${list}-${place}`}
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
                write(entry);
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
      )}
      {mistake && offered.length === 0 && (
        <p
          id={`${list}-mistake`}
          role="alert"
          data-testid="sift-mistake"
          className="shadow-float absolute top-full left-0 z-30 mt-0.5 border border-wrong bg-surface px-2 py-1 text-sm"
        >
          <span className="font-semibold">{mistake.what}</span> {mistake.mend}
        </p>
      )}
    </div>
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
