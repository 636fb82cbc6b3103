/** Pictures that are dropped anywhere on Rows are brought in; on the row of a class they are proposed to be of it. */
import type { ReactNode } from "react";
import { usePlace } from "../../app/context";
import { useNotices } from "../../parts/Notices";
import { useDrop } from "../../parts/useDrop";
import { fromDrop } from "../bring-in/bringIn";
import type { useSending } from "../bring-in/useSending";

interface Props {
  send: ReturnType<typeof useSending>["send"];
  children: ReactNode;
}

export function DropArea({ send, children }: Props) {
  const { classes } = usePlace();
  const { fail } = useNotices();
  const { over, handlers } = useDrop((event) => {
    const row = (event.target as Element).closest("[data-row]")?.getAttribute("data-row");
    const className = classes.find((entry) => row === `class-${entry.id}`)?.name;
    fromDrop(event.dataTransfer).then((files) => send(files, className ? { className } : {}), fail);
  });
  return (
    <div role="application" aria-label="Rows" className="relative flex h-full flex-col" {...handlers}>
      {children}
      {over && (
        <div className="pointer-events-none absolute inset-3 top-24 z-30 flex items-center justify-center border-2 border-dashed border-choice bg-choice-wash/80 text-xl font-semibold">
          Drop to bring in; on the row of a class, as that class
        </div>
      )}
    </div>
  );
}
