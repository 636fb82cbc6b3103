/** What the Sift's line holds and offers, and what its keys do. */
import { type KeyboardEvent, useEffect, useLayoutEffect, useRef, useState } from "react";
import { asProblemOf, type Completion } from "../../api/client";
import { type FieldQuery, useCompletions } from "../../api/queries";
import { completed } from "../../domain/siftLine";

export interface SiftAsked {
  projectId: number;
  asked: FieldQuery;
  /** What is wrong with the Sift in the address. */
  error: unknown;
  onSift: (sift: string) => void;
  /** Leads back into the field. */
  onLeave: () => void;
}

export type SiftLineState = ReturnType<typeof useSiftLine>;

export function useSiftLine({ projectId, asked, error, onSift, onLeave }: SiftAsked) {
  const [draft, setDraft] = useState(asked.sift);
  const [cursor, setCursor] = useState<number>();
  const [picked, setPicked] = useState(-1);
  const input = useRef<HTMLInputElement>(null);
  const caret = useCaret(input);
  useEffect(() => setDraft(asked.sift), [asked.sift]);
  const completions = useCompletions(projectId, asked, draft, cursor);
  const problem = error ? asProblemOf(error) : undefined;

  /** What stands in the line and where the cursor is; without one nothing is offered. */
  const change = (text: string, at: number | undefined) => {
    setDraft(text);
    setCursor(at);
    setPicked(-1);
  };
  const write = (entry: Completion) => {
    const now = completed(draft, cursor ?? draft.length, entry);
    change(now.text, now.cursor);
    caret.current = now.cursor;
  };
  const keep = () => {
    change(draft.trim(), undefined);
    onSift(draft.trim());
  };
  return {
    draft,
    cursor,
    picked,
    input,
    offered: cursor === undefined ? [] : (completions.data ?? []),
    // What else can go wrong is said where the field would be.
    mistake: problem?.place && draft === asked.sift ? problem : undefined,
    change,
    write,
    keep,
    setCursor,
    setPicked,
    leave: onLeave,
    /** Forgets what was not asked for yet. */
    reset: () => setDraft(asked.sift),
    blur: () => {
      setCursor(undefined);
      if (draft.trim() !== asked.sift) keep();
    },
    clear: () => {
      setDraft("");
      onSift("");
    },
  };
}

/** Where the cursor belongs once the line is rewritten; before the next key, which may come at once. */
function useCaret(input: { current: HTMLInputElement | null }) {
  const caret = useRef<number>(undefined);
  useLayoutEffect(() => {
    if (caret.current === undefined) return;
    input.current?.setSelectionRange(caret.current, caret.current);
    caret.current = undefined;
  });
  return caret;
}

export function onSiftKey(line: SiftLineState, event: KeyboardEvent<HTMLInputElement>): void {
  const { offered, cursor } = line;
  const entry = offered[line.picked];
  const nearest = entry ?? offered[0];
  if (event.key === "ArrowDown" || event.key === "ArrowUp") {
    const by = event.key === "ArrowDown" ? 1 : -1;
    line.setCursor((now) => now ?? line.input.current?.selectionStart ?? line.draft.length);
    line.setPicked((now) => Math.max(-1, Math.min(offered.length - 1, now + by)));
  } else if (event.key === "Tab" && !event.shiftKey && cursor !== undefined && nearest) {
    line.write(nearest);
  } else if (event.key === "Enter") {
    if (entry) line.write(entry);
    else {
      line.keep();
      line.leave();
    }
  } else if (event.key === "Escape") {
    if (cursor !== undefined) line.setCursor(undefined);
    else {
      line.reset();
      line.leave();
    }
  } else return;
  event.preventDefault();
  event.stopPropagation();
}
