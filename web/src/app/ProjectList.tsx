/** The plain list of projects: open, new, rename, delete, restore. */
import { Menu, MenuButton, MenuItem, MenuItems } from "@headlessui/react";
import { useRef, useState } from "react";
import { Link } from "react-router";
import type { Project } from "../api/client";
import { useProjects } from "../api/queries";
import { plural } from "../domain/words";
import { Button, buttonLook } from "../parts/Button";
import { NameSheet } from "../parts/NameSheet";
import { Sheet } from "../parts/Sheet";
import { Failed, Reading } from "../parts/States";
import { ThemeSwitch } from "./ThemeSwitch";
import { Tray } from "./Tray";
import { type ProjectActions, useBringingBack, useProjectActions } from "./useProjects";

type Asked = { kind: "new" } | { kind: "rename" | "remove"; project: Project } | undefined;

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
      <main className="mx-auto w-full max-w-[860px] flex-1 overflow-y-auto px-6 py-8">
        <div className="mb-4 flex items-center justify-between">
          <h2 className="text-xl font-semibold">Projects</h2>
          <div className="flex gap-2">
            <BringBack />
            <Button kind="main" onClick={() => setAsked({ kind: "new" })}>
              New project
            </Button>
          </div>
        </div>
        {projects.isPending && <Reading what="the projects" />}
        {projects.isError && <Failed error={projects.error} onRetry={() => void projects.refetch()} />}
        {projects.data?.length === 0 && (
          <p className="border-t border-hairline py-6 text-quiet">
            No projects yet. Make one, then bring in a zip or a folder of pictures.
          </p>
        )}
        <ul>
          {projects.data?.map((project) => (
            <ProjectLine key={project.id} project={project} actions={actions} onAsk={setAsked} />
          ))}
        </ul>
        <Bin actions={actions} onAsk={setAsked} />
      </main>
      <AskedSheet asked={asked} actions={actions} onClose={() => setAsked(undefined)} />
    </div>
  );
}

interface LineProps {
  project: Project;
  actions: ProjectActions;
  onAsk: (asked: Asked) => void;
}

function ProjectLine({ project, actions, onAsk }: LineProps) {
  return (
    <li className="flex items-center border-t border-hairline">
      <Link to={`/p/${project.id}/rows`} className="min-w-0 flex-1 px-1 py-3 hover:bg-sunken">
        <span className="block truncate text-lg font-semibold">{project.name}</span>
        <span className="text-quiet">
          {plural(project.pictures, "picture")}, {plural(project.classes, "class", "classes")},{" "}
          {plural(project.runs, "run")} · since {new Date(project.created_at).toLocaleDateString("en-GB")}
        </span>
      </Link>
      <ProjectMenu
        project={project}
        onRename={() => onAsk({ kind: "rename", project })}
        onDelete={() => actions.remove(project)}
      />
    </li>
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

function AskedSheet(props: { asked: Asked; actions: ProjectActions; onClose: () => void }) {
  const { asked, actions, onClose } = props;
  switch (asked?.kind) {
    case "new":
      return (
        <NameSheet
          title="New project"
          label="Name, for example what the pictures show"
          action="Make project"
          onClose={onClose}
          onName={actions.create}
        />
      );
    case "rename":
      return (
        <NameSheet
          title={`Rename ${asked.project.name}`}
          label="New name"
          action="Rename"
          initial={asked.project.name}
          onClose={onClose}
          onName={(name) => actions.rename(asked.project, name)}
        />
      );
    case "remove":
      return (
        <RemoveSheet
          project={asked.project}
          onClose={onClose}
          onRemove={() => actions.removeForGood(asked.project)}
        />
      );
    default:
      return null;
  }
}

function RemoveSheet(props: { project: Project; onClose: () => void; onRemove: () => void }) {
  const { project, onClose, onRemove } = props;
  return (
    <Sheet title={`Remove ${project.name}`} open onClose={onClose}>
      <p className="mb-4">
        {plural(project.pictures, "picture")}, {plural(project.runs, "run")} and everything else of this
        project are removed for good. This cannot be taken back.
      </p>
      <div className="flex justify-end gap-2">
        <Button onClick={onClose}>Keep it</Button>
        <Button
          kind="danger"
          onClick={() => {
            onClose();
            onRemove();
          }}
        >
          Remove for good
        </Button>
      </div>
    </Sheet>
  );
}

function ProjectMenu(props: { project: Project; onRename: () => void; onDelete: () => void }) {
  const item = "block w-full cursor-pointer px-3 py-1.5 text-left data-focus:bg-sunken";
  return (
    <Menu>
      <MenuButton className={buttonLook("bare")} aria-label={`More for ${props.project.name}`}>
        More
      </MenuButton>
      <MenuItems anchor="bottom end" className="shadow-float z-30 w-40 bg-surface py-1">
        <MenuItem>
          <button type="button" className={item} onClick={props.onRename}>
            Rename
          </button>
        </MenuItem>
        <MenuItem>
          <button type="button" className={`${item} text-wrong`} onClick={props.onDelete}>
            Delete
          </button>
        </MenuItem>
      </MenuItems>
    </Menu>
  );
}
