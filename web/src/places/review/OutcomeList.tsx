/** Judged pictures, walked through and mended by keys. */
import { type KeyboardEvent, type ReactNode, useRef } from "react";
import type { ClassOf, Model, Outcome } from "../../api/client";
import { usePlace } from "../../app/context";
import { labelKey } from "../../domain/labelKeys";
import type { Mending } from "../mending/useMending";
import { OutcomeTile } from "./OutcomeTile";

interface Props {
  shown: readonly Outcome[];
  model: Model;
  chosen: number | undefined;
  mending: Mending;
  onChoose: (id: number | undefined) => void;
  onOpen: (outcome: Outcome) => void;
  onAskLabel: () => void;
  children: ReactNode;
}

export function OutcomeList(props: Props) {
  const { classes } = usePlace();
  const { shown, chosen, onChoose } = props;
  const { list, onKeyDown } = useListKeys(props, classes);
  return (
    <div
      ref={list}
      role="listbox"
      aria-label="Judged pictures"
      tabIndex={0}
      data-testid="outcomes"
      onKeyDown={onKeyDown}
      className="flex min-h-0 flex-1 flex-wrap content-start gap-3 overflow-y-auto px-4 py-2"
    >
      {props.children}
      {shown.map((outcome) => (
        <OutcomeTile
          key={outcome.picture_id}
          outcome={outcome}
          model={props.model}
          classes={classes}
          chosen={outcome.picture_id === chosen}
          onChoose={() => onChoose(outcome.picture_id)}
          onOpen={() => props.onOpen(outcome)}
        />
      ))}
    </div>
  );
}

function useListKeys({ shown, chosen, mending, onChoose, onAskLabel }: Props, classes: readonly ClassOf[]) {
  const list = useRef<HTMLDivElement>(null);
  const goTo = (at: number) => {
    const next = shown[Math.max(0, Math.min(shown.length - 1, at))];
    onChoose(next?.picture_id);
    list.current?.querySelector<HTMLElement>(`[data-outcome="${next?.picture_id}"]`)?.focus();
  };
  /** Whether the key meant something. */
  const onPlainKey = (key: string): boolean => {
    const at = shown.findIndex((outcome) => outcome.picture_id === chosen);
    const step = { ArrowLeft: -1, ArrowRight: 1 }[key];
    const here = shown[at];
    const asked = labelKey(key, classes);
    if (step !== undefined) goTo(at + step);
    else if (here && asked?.kind === "label") void mending.label([here.picture_id], asked.classId);
    else if (here && asked) onAskLabel();
    else return false;
    return true;
  };
  const onKeyDown = (event: KeyboardEvent) => {
    if (event.altKey) return;
    const withCtrl = event.ctrlKey || event.metaKey;
    if (withCtrl && event.key === "z") void mending.undo();
    else if (withCtrl || !onPlainKey(event.key)) return;
    event.preventDefault();
  };
  return { list, onKeyDown };
}
