/** The list of projects: in which order, and which of them. */
import type { Project } from "../api/client";

export type ProjectOrder = "worked" | "name";

/** Those whose names hold what is sought, whatever the case. */
export function listed(projects: readonly Project[], order: ProjectOrder, sought: string): Project[] {
  const wanted = sought.trim().toLocaleLowerCase();
  return projects
    .filter((project) => project.name.toLocaleLowerCase().includes(wanted))
    .sort((a, b) =>
      order === "name"
        ? a.name.localeCompare(b.name, undefined, { numeric: true })
        : b.worked_at.localeCompare(a.worked_at) || b.id - a.id,
    );
}
