/** The three states of a place that has nothing to show: empty, reading, failed. */
import type { ReactNode } from "react";
import { asProblemOf } from "../api/client";
import { Button } from "./Button";

export function Empty({ title, children }: { title: string; children?: ReactNode }) {
  return (
    <div className="flex h-full flex-col items-center justify-center gap-3 p-10 text-center">
      <h2 className="text-xl font-semibold">{title}</h2>
      <div className="max-w-[520px] text-quiet">{children}</div>
    </div>
  );
}

export function Reading({ what }: { what: string }) {
  return (
    <p role="status" className="p-10 text-center text-quiet">
      Reading {what} …
    </p>
  );
}

/** With a way out as `children`, where trying again may not be all. */
export function Failed({
  error,
  onRetry,
  children,
}: {
  error: unknown;
  onRetry: () => void;
  children?: ReactNode;
}) {
  const problem = asProblemOf(error);
  return (
    <div role="alert" className="mx-auto max-w-[560px] p-10">
      <h2 className="mb-1 text-lg font-semibold text-wrong">{problem.what}</h2>
      <p className="mb-4">{problem.mend}</p>
      <div className="flex items-center gap-4">
        <Button onClick={onRetry}>Try again</Button>
        {children}
      </div>
    </div>
  );
}
