/** Short words about what just happened, in a corner; errors stay until they are closed, and all of them in the tray. */
import { createContext, type ReactNode, useCallback, useContext, useMemo, useRef, useState } from "react";
import { asProblemOf } from "../api/client";

export interface Notice {
  readonly id: number;
  readonly text: string;
  readonly wrong: boolean;
  readonly at: Date;
}

interface Say {
  say: (text: string) => void;
  fail: (error: unknown) => void;
}

const SHOWN_MS = 6000;
/** So many stay readable in the tray after they went from the corner. */
const REMEMBERED = 6;
const Context = createContext<Say>({ say: () => {}, fail: () => {} });

const Said = createContext<readonly Notice[]>([]);

export function useNotices(): Say {
  return useContext(Context);
}

/** What was said in this window, the newest first. */
export function useSaid(): readonly Notice[] {
  return useContext(Said);
}

export function Notices({ children }: { children: ReactNode }) {
  const [notices, setNotices] = useState<readonly Notice[]>([]);
  const [said, setSaid] = useState<readonly Notice[]>([]);
  const next = useRef(1);
  const close = useCallback((id: number) => setNotices((now) => now.filter((entry) => entry.id !== id)), []);
  const add = useCallback(
    (text: string, wrong: boolean) => {
      const id = next.current++;
      const notice = { id, text, wrong, at: new Date() };
      setNotices((now) => [...now.slice(-3), notice]);
      setSaid((now) => [notice, ...now].slice(0, REMEMBERED));
      if (!wrong) window.setTimeout(() => close(id), SHOWN_MS);
    },
    [close],
  );
  const value = useMemo<Say>(
    () => ({ say: (text) => add(text, false), fail: (error) => add(asProblemOf(error).message, true) }),
    [add],
  );
  return (
    <Context.Provider value={value}>
      <Said.Provider value={said}>{children}</Said.Provider>
      <div aria-live="polite" className="fixed bottom-4 left-1/2 z-50 flex -translate-x-1/2 flex-col gap-2">
        {notices.map((entry) => (
          <div
            key={entry.id}
            role={entry.wrong ? "alert" : "status"}
            className={`shadow-float flex max-w-[640px] items-start gap-3 px-4 py-2 ${
              entry.wrong ? "border-l-4 border-wrong bg-wrong-wash" : "bg-ink text-ground"
            }`}
          >
            <span className="break-words">{entry.text}</span>
            <button type="button" onClick={() => close(entry.id)} className="cursor-pointer underline">
              close
            </button>
          </div>
        ))}
      </div>
    </Context.Provider>
  );
}
