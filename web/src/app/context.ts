/** What the address means: project, split and run, with the newest of each where none is named. */
import { useOutletContext, useSearchParams } from "react-router";
import type { ClassOf, Project, Run, Split } from "../api/client";

export interface PlaceContext {
  readonly project: Project;
  readonly classes: readonly ClassOf[];
  readonly splits: readonly Split[];
  /** The newest runs, as far as the Ledger was read. */
  readonly runs: readonly Run[];
  /** The run that the address names, judged or not. */
  readonly named: Run | undefined;
  /** The split whose sets are told. */
  readonly split: Split | undefined;
  /** The run whose result is on show: named in the address, else the newest that was judged. */
  readonly run: Run | undefined;
}

export function usePlace(): PlaceContext {
  return useOutletContext<PlaceContext>();
}

export function namedIn<T extends { id: number }>(items: readonly T[], text: string | null): T | undefined {
  return text ? items.find((item) => item.id === Number(text)) : undefined;
}

/** Reads and writes one part of the address, leaving the others. */
export function useAddress(): [URLSearchParams, (changes: Record<string, string | undefined>) => void] {
  const [params, setParams] = useSearchParams();
  const change = (changes: Record<string, string | undefined>) =>
    setParams(
      (now) => {
        const next = new URLSearchParams(now);
        for (const [key, value] of Object.entries(changes)) {
          if (value === undefined || value === "") next.delete(key);
          else next.set(key, value);
        }
        return next;
      },
      { replace: false },
    );
  return [params, change];
}
