/** A way in: what it takes, in words, and its buttons. */
import type { ReactNode } from "react";

export function Way({ name, about, children }: { name: string; about: string; children: ReactNode }) {
  return (
    <div className="grid grid-cols-[170px_1fr_auto] items-center gap-4 border-b border-hairline py-3">
      <h3 className="font-semibold">{name}</h3>
      <p className="text-quiet">{about}</p>
      <div className="flex gap-2">{children}</div>
    </div>
  );
}
