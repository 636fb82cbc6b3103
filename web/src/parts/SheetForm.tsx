/** A sheet that asks for something and stays until it was taken; why it was not is said in it. */
import { type FormEvent, type ReactNode, useState } from "react";
import { asProblemOf } from "../api/client";
import { Button } from "./Button";
import { Sheet } from "./Sheet";

interface Props {
  title: string;
  /** What the main button says. */
  action: string;
  ready: boolean;
  /** It is not closed by that: what comes next takes its place. */
  stays?: boolean;
  onClose: () => void;
  /** Resolves when it was taken; what it rejects with is shown. */
  onSubmit: () => Promise<unknown>;
  children: ReactNode;
}

export function SheetForm({ title, action, ready, stays = false, onClose, onSubmit, children }: Props) {
  const [problem, setProblem] = useState("");
  const [busy, setBusy] = useState(false);
  const submit = async (event: FormEvent) => {
    event.preventDefault();
    setBusy(true);
    try {
      await onSubmit();
      if (!stays) onClose();
    } catch (error) {
      setProblem(asProblemOf(error).message);
      setBusy(false);
    }
  };
  return (
    <Sheet title={title} open onClose={onClose}>
      <form onSubmit={submit}>
        {children}
        <p role="alert" className="mt-1 min-h-5 text-wrong">
          {problem}
        </p>
        <div className="mt-2 flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button kind="main" type="submit" disabled={busy || !ready}>
            {action}
          </Button>
        </div>
      </form>
    </Sheet>
  );
}
