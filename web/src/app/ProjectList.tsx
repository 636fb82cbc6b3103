/** The plain list of projects: open, new, rename, delete, restore. */
import { Menu, MenuButton, MenuItem, MenuItems } from "@headlessui/react";
import { useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { Link, useNavigate } from "react-router";
import { client, header, need, type Project } from "../api/client";
import { useProjects } from "../api/queries";
import { plural } from "../domain/words";
import { Button, buttonLook } from "../parts/Button";
import { NameSheet } from "../parts/NameSheet";
import { useNotices } from "../parts/Notices";
import { Sheet } from "../parts/Sheet";
import { Failed, Reading } from "../parts/States";
import { upload } from "../places/bring-in/bringIn";
import { ThemeSwitch } from "./ThemeSwitch";
import { Tray } from "./Tray";

type Asked = { kind: "new" } | { kind: "rename" | "remove"; project: Project } | undefined;

export function ProjectList() {
  const projects = useProjects();
  const bin = useProjects(true);
  const queries = useQueryClient();
  const navigate = useNavigate();
  const { say, fail } = useNotices();
  const [asked, setAsked] = useState<Asked>();
  const archive = useRef<HTMLInputElement>(null);
  const [sending, setSending] = useState(false);
  const refresh = () => queries.invalidateQueries({ queryKey: ["projects"] });

  const create = async (name: string) => {
    const made = await need(client.POST("/api/projects", { body: { name } }));
    await refresh();
    navigate(`/p/${made.id}/rows`);
  };
  const rename = async (project: Project, name: string) => {
    await need(
      client.PATCH("/api/projects/{project_id}", {
        params: { path: { project_id: project.id } },
        body: { name },
      }),
    );
    await refresh();
  };
  const remove = (project: Project) =>
    need(client.DELETE("/api/projects/{project_id}", { params: { path: { project_id: project.id } } }))
      .then(refresh)
      .then(() => say(`${project.name} lies in the bin below and can be restored.`))
      .catch(fail);
  const restore = (project: Project) =>
    need(client.POST("/api/projects/{project_id}/restore", { params: { path: { project_id: project.id } } }))
      .then(refresh)
      .catch(fail);

  const bringBack = async (file: File) => {
    setSending(true);
    try {
      const path = file.name;
      const uploadId = await upload([{ path, file }], () => {}, new AbortController().signal);
      await need(
        client.POST("/api/projects/bring-back", {
          params: { header },
          body: { upload_id: uploadId, name: path.replace(/\.zip$/i, "").slice(0, 200) || "project" },
        }),
      );
      say(`${path} is being brought back, see the tray.`);
    } catch (error) {
      fail(error);
    }
    setSending(false);
    void refresh();
  };
  const removeForGood = (project: Project) =>
    need(
      client.DELETE("/api/projects/{project_id}/for-good", { params: { path: { project_id: project.id } } }),
    )
      .catch(fail)
      .finally(refresh);

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
            <li key={project.id} className="flex items-center border-t border-hairline">
              <Link to={`/p/${project.id}/rows`} className="min-w-0 flex-1 px-1 py-3 hover:bg-sunken">
                <span className="block truncate text-lg font-semibold">{project.name}</span>
                <span className="text-quiet">
                  {plural(project.pictures, "picture")}, {plural(project.classes, "class", "classes")},{" "}
                  {plural(project.runs, "run")} · since{" "}
                  {new Date(project.created_at).toLocaleDateString("en-GB")}
                </span>
              </Link>
              <ProjectMenu
                project={project}
                onRename={() => setAsked({ kind: "rename", project })}
                onDelete={() => void remove(project)}
              />
            </li>
          ))}
        </ul>
        {bin.data && bin.data.length > 0 && (
          <section className="mt-10">
            <h2 className="mb-1 font-semibold text-quiet">Bin</h2>
            <ul>
              {bin.data.map((project) => (
                <li
                  key={project.id}
                  className="flex items-center justify-between border-t border-hairline py-1.5"
                >
                  <span className="min-w-0 truncate">
                    {project.name} <span className="text-quiet">· {plural(project.pictures, "picture")}</span>
                  </span>
                  <span className="flex gap-1">
                    <Button onClick={() => void restore(project)}>Restore</Button>
                    <Button kind="danger" onClick={() => setAsked({ kind: "remove", project })}>
                      Remove for good
                    </Button>
                  </span>
                </li>
              ))}
            </ul>
          </section>
        )}
      </main>
      {asked?.kind === "new" && (
        <NameSheet
          title="New project"
          label="Name, for example what the pictures show"
          action="Make project"
          onClose={() => setAsked(undefined)}
          onName={create}
        />
      )}
      {asked?.kind === "remove" && (
        <Sheet title={`Remove ${asked.project.name}`} open onClose={() => setAsked(undefined)}>
          <p className="mb-4">
            {plural(asked.project.pictures, "picture")}, {plural(asked.project.runs, "run")} and everything
            else of this project are removed for good. This cannot be taken back.
          </p>
          <div className="flex justify-end gap-2">
            <Button onClick={() => setAsked(undefined)}>Keep it</Button>
            <Button
              kind="danger"
              onClick={() => {
                setAsked(undefined);
                void removeForGood(asked.project);
              }}
            >
              Remove for good
            </Button>
          </div>
        </Sheet>
      )}
      {asked?.kind === "rename" && (
        <NameSheet
          title={`Rename ${asked.project.name}`}
          label="New name"
          action="Rename"
          initial={asked.project.name}
          onClose={() => setAsked(undefined)}
          onName={(name) => rename(asked.project, name)}
        />
      )}
    </div>
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
