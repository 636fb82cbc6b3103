/** The line along the top of what Rows opens beside the field: the way back, the title, and what can be done. */
import type { ReactNode } from "react";
import { Link } from "react-router";
import { usePlace } from "../../app/context";
import { buttonLook } from "../../parts/Button";

export function PlaceHead({ title, children }: { title: string; children?: ReactNode }) {
  const { project } = usePlace();
  return (
    <div className="flex items-center gap-3 border-b border-hairline px-3 py-1.5">
      <Link to={`/p/${project.id}/rows`} className={buttonLook("plain")}>
        ← Rows
      </Link>
      <h2 className="min-w-0 truncate text-lg font-semibold">{title}</h2>
      <div className="ml-auto flex items-center gap-2">{children}</div>
    </div>
  );
}
