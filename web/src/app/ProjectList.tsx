/** The list of projects: found, opened, made, described, duplicated, put away, deleted and restored. */
import { type ReactNode, useRef, useState } from "react";
import type { Project } from "../api/client";
import { useProjects } from "../api/queries";
import { listed, type ProjectOrder } from "../domain/projectOrder";
import { plural } from "../domain/words";
import { Button } from "../parts/Button";
import { Choice } from "../parts/Choice";
import { Failed, Reading } from "../parts/States";
import { ProjectLine } from "./ProjectLine";
import { type Asked, ProjectSheets } from "./ProjectSheets";
import { ThemeSwitch } from "./ThemeSwitch";
import { Tray } from "./Tray";
import { type ProjectActions, useBringingBack, useProjectActions } from "./useProjects";

export function ProjectList() {
  const projects = useProjects();
  const actions = useProjectActions();
  const [asked, setAsked] = useState<Asked>();
  return (
    <div className="flex h-full flex-col">
      <title>Vast Orchard</title>
      <header className="flex items-center justify-between border-b border-hairline px-6 py-2">
        <h1 className="text-lg font-semibold">Vast Orchard</h1>
        <div className="flex items-center gap-2">
          <Tray />
          <ThemeSwitch />
        </div>
      </header>
      <main className="mx-auto w-full max-w-[1120px] flex-1 overflow-y-auto px-6 py-6">
        {projects.isPending && <Reading what="the projects" />}
        {projects.isError && <Failed error={projects.error} onRetry={() => void projects.refetch()} />}
        {projects.data && (
          <Listed projects={projects.data} actions={actions} onAsk={setAsked}>
            <BringBack />
            <Button kind="main" onClick={() => setAsked({ kind: "new" })}>
              New project
            </Button>
          </Listed>
        )}
        <Bin actions={actions} onAsk={setAsked} />
      </main>
      <ProjectSheets asked={asked} actions={actions} onClose={() => setAsked(undefined)} />
    </div>
  );
}

const ORDERS: readonly { value: ProjectOrder; label: string }[] = [
  { value: "worked", label: "last worked on" },
  { value: "name", label: "name" },
];

interface ListedProps {
  projects: readonly Project[];
  actions: ProjectActions;
  onAsk: (asked: Asked) => void;
  /** What can be done besides. */
  children: ReactNode;
}

/** Those at hand, and apart from them those that were put away. */
function Listed({ projects, actions, onAsk, children }: ListedProps) {
  const [order, setOrder] = useState<ProjectOrder>("worked");
  const [sought, setSought] = useState("");
  const found = listed(projects, order, sought);
  const away = found.filter((project) => project.archived_at);
  const here = found.filter((project) => !project.archived_at);
  const line = (project: Project) => (
    <ProjectLine key={project.id} project={project} actions={actions} onAsk={onAsk} />
  );
  return (
    <>
      <div className="mb-4 flex items-center gap-4">
        <h2 className="text-xl font-semibold">Projects</h2>
        {projects.length > 1 && (
          <>
            <input
              type="search"
              aria-label="Find by name"
              placeholder="Find by name"
              value={sought}
              onChange={(event) => setSought(event.target.value)}
              className="rounded-control w-56 border border-edge bg-surface px-2 py-1"
            />
            <Choice<ProjectOrder> label="Order by" value={order} onChange={setOrder} options={ORDERS} />
          </>
        )}
        <div className="ml-auto flex gap-2">{children}</div>
      </div>
      {!projects.length && (
        <p className="border-t border-hairline py-6 text-quiet">
          No projects yet. Make one, then bring in a zip or a folder of pictures.
        </p>
      )}
      {projects.length > 0 && !found.length && (
        <p className="border-t border-hairline py-6 text-quiet">No project’s name holds “{sought}”.</p>
      )}
      <ul aria-label="Projects">{here.map(line)}</ul>
      {away.length > 0 && (
        <details className="mt-8" open={!!sought}>
          <summary className="cursor-pointer font-semibold text-quiet">
            Put away: {plural(away.length, "project")}
          </summary>
          <ul aria-label="Put away" className="mt-1">
            {away.map(line)}
          </ul>
        </details>
      )}
    </>
  );
}

function BringBack() {
  const { sending, bringBack } = useBringingBack();
  const archive = useRef<HTMLInputElement>(null);
  return (
    <>
      <Button disabled={sending} onClick={() => archive.current?.click()}>
        {sending ? "Sending the archive …" : "Bring back a project"}
      </Button>
      <input
        ref={archive}
        type="file"
        accept=".zip,application/zip"
        aria-label="Project archive"
        className="sr-only"
        tabIndex={-1}
        onChange={(event) => {
          const file = event.target.files?.[0];
          if (file) void bringBack(file);
          event.target.value = "";
        }}
      />
    </>
  );
}

function Bin({ actions, onAsk }: { actions: ProjectActions; onAsk: (asked: Asked) => void }) {
  const bin = useProjects(true);
  if (!bin.data?.length) return null;
  return (
    <section className="mt-10">
      <h2 className="mb-1 font-semibold text-quiet">Bin</h2>
      <ul>
        {bin.data.map((project) => (
          <li key={project.id} className="flex items-center justify-between border-t border-hairline py-1.5">
            <span className="min-w-0 truncate">
              {project.name} <span className="text-quiet">· {plural(project.pictures, "picture")}</span>
            </span>
            <span className="flex gap-1">
              <Button onClick={() => actions.restore(project)}>Restore</Button>
              <Button kind="danger" onClick={() => onAsk({ kind: "remove", project })}>
                Remove for good
              </Button>
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}
