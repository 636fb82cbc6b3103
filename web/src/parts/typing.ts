/** Whether keys, or what is pasted, belong to the field that has the focus. */

const WITHOUT_TEXT = /^(button|checkbox|file|radio|range|submit)$/;

/** Text goes into it. */
export function takesText(target: EventTarget | null): boolean {
  if (target instanceof HTMLInputElement) return !WITHOUT_TEXT.test(target.type);
  return target instanceof HTMLTextAreaElement || (target instanceof HTMLElement && target.isContentEditable);
}

/** Letters or arrows mean something to it, so that they are no command. */
export function takesKeys(target: EventTarget | null): boolean {
  return (
    takesText(target) ||
    target instanceof HTMLSelectElement ||
    (target instanceof HTMLInputElement && target.type === "range")
  );
}
