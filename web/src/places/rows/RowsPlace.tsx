/** Rows: bring in, look, sort, divide, mend. */
import { useQueryClient } from "@tanstack/react-query";
import { type DragEvent, type KeyboardEvent, useCallback, useMemo, useState } from "react";
import { Link, useNavigate } from "react-router";
import { client, header, need } from "../../api/client";
import { useBin, useJobs, usePictures } from "../../api/queries";
import { useAddress, usePlace } from "../../app/context";
import { fieldRows, type GroupKey, TILE_SIZES, type TileSize } from "../../domain/field";
import { isActive, jobWords } from "../../domain/jobs";
import { labelKey } from "../../domain/labelKeys";
import { NOTHING_CHOSEN, type Selection } from "../../domain/selection";
import { LARGEST_ON_SHEETS, sheetPlaces } from "../../domain/sheets";
import { plural } from "../../domain/words";
import { Button } from "../../parts/Button";
import { Choice } from "../../parts/Choice";
import { LabelSheet } from "../../parts/LabelSheet";
import { NameSheet } from "../../parts/NameSheet";
import { useNotices } from "../../parts/Notices";
import { ProgressBar } from "../../parts/ProgressBar";
import { Empty, Failed, Reading } from "../../parts/States";
import { fromDrop } from "./bringIn";
import { CloseUp } from "./CloseUp";
import { DivideSheet } from "./DivideSheet";
import { Field } from "./Field";
import { TakeOutSheet } from "./TakeOutSheet";
import { useMending } from "./useMending";
import { useSending } from "./useSending";

type Laid =
  | { kind: "take out" }
  | { kind: "divide" }
  | { kind: "new class" }
  | { kind: "rename class"; classId: number }
  | { kind: "label" }
  | undefined;

export function RowsPlace() {
  const { project, classes, split } = usePlace();
  const [params, setAddress] = useAddress();
  const pictures = usePictures(project.id, split?.id);
  const mending = useMending(project.id);
  const { data: jobs = [] } = useJobs();
  const arriving = jobs.find(
    (job) => job.kind === "import" && job.project_id === project.id && isActive(job),
  );
  const queries = useQueryClient();
  const { fail } = useNotices();
  const [laid, setLaid] = useState<Laid>();
  const [selection, setSelection] = useState<Selection>(NOTHING_CHOSEN);
  const [closeUp, setCloseUp] = useState<number>();
  const [over, setOver] = useState(false);
  const navigate = useNavigate();
  const { sending, send, stop } = useSending(project.id);
  const bin = useBin(project.id);
  const bringIn = () => navigate(`/p/${project.id}/rows/bring-in`);

  const group: GroupKey = params.get("group") === "set" ? "set" : "class";
  const size = tileSizeOf(params.get("tile"));
  const all = pictures.data ?? [];
  // biome-ignore lint/correctness/useExhaustiveDependencies: `all` is the query's data, which keeps its identity
  const rows = useMemo(() => fieldRows(all, classes, group), [pictures.data, classes, group]);
  const sheets = useMemo(
    () => (size <= LARGEST_ON_SHEETS ? sheetPlaces(project.id, pictures.data ?? [], size) : undefined),
    [size, project.id, pictures.data],
  );
  const flat = useMemo(() => rows.flatMap((row) => row.pictures), [rows]);
  const chosen = [...selection.chosen];
  const opened = flat.find((picture) => picture.id === closeUp);

  const label = useCallback(
    (ids: readonly number[], classId: number | null) => void mending.label(ids, classId),
    [mending],
  );

  const mendByKey = (event: KeyboardEvent, ids: readonly number[]) => {
    if (event.altKey) return;
    if (event.ctrlKey || event.metaKey) {
      if (event.key === "z") {
        event.preventDefault();
        void mending.undo();
      } else if (event.key === "a") {
        event.preventDefault();
        setSelection((now) => ({ ...now, chosen: new Set(flat.map((picture) => picture.id)) }));
      }
      return;
    }
    const asked = labelKey(event.key, classes);
    if (asked?.kind === "label") label(ids, asked.classId);
    else if (asked && ids.length) setLaid({ kind: "label" });
    else if (event.key === "Delete") {
      if (ids.length) void mending.bin(ids);
      if (opened) step(1);
    } else if (event.key === "Escape") setSelection((now) => ({ ...now, chosen: new Set() }));
    else if (event.key === "+" || event.key === "-") {
      const next = TILE_SIZES[TILE_SIZES.indexOf(size) + (event.key === "+" ? 1 : -1)];
      if (next) setAddress({ tile: String(next) });
    } else return;
    event.preventDefault();
  };

  const newClass = async (name: string) => {
    await need(
      client.POST("/api/projects/{project_id}/classes", {
        params: { path: { project_id: project.id }, header },
        body: { name },
      }),
    );
    await queries.invalidateQueries({ queryKey: ["classes"] });
  };
  const renameClass = async (classId: number, name: string) => {
    await need(
      client.PATCH("/api/projects/{project_id}/classes/{class_id}", {
        params: { path: { project_id: project.id, class_id: classId }, header },
        body: { name },
      }),
    );
    await queries.invalidateQueries({ queryKey: ["classes"] });
  };

  const step = (by: -1 | 1) => {
    const at = flat.findIndex((picture) => picture.id === closeUp);
    const next = flat[Math.max(0, Math.min(flat.length - 1, at + by))];
    if (!next) return;
    setCloseUp(next.id);
    const index = flat.indexOf(next);
    setSelection({ chosen: new Set([next.id]), focus: index, anchor: index });
  };

  const onDrop = (event: DragEvent) => {
    event.preventDefault();
    setOver(false);
    // Dropped on the row of a class, pictures are proposed to be of it.
    const row = (event.target as Element).closest("[data-row]")?.getAttribute("data-row");
    const className = classes.find((entry) => row === `class-${entry.id}`)?.name;
    fromDrop(event.dataTransfer).then((files) => send(files, className ? { className } : {}), fail);
  };

  return (
    <div
      role="application"
      aria-label="Rows"
      className="flex h-full flex-col"
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={(event) => event.currentTarget === event.target && setOver(false)}
      onDrop={onDrop}
    >
      <div className="flex items-center gap-2 border-b border-hairline px-3 py-1.5">
        <Button kind={all.length ? "plain" : "main"} onClick={bringIn}>
          Bring in pictures
        </Button>
        <Button disabled={!all.length} onClick={() => setLaid({ kind: "divide" })}>
          Divide
        </Button>
        <Button onClick={() => setLaid({ kind: "new class" })}>New class</Button>
        <Button disabled={!all.length} onClick={() => setLaid({ kind: "take out" })}>
          Take out
        </Button>
        <Button title="Take back this window's last step (Ctrl + Z)" onClick={() => void mending.undo()}>
          Undo
        </Button>
        <span className="ml-3 text-quiet" role="status" data-testid="chosen">
          {selection.chosen.size
            ? `${plural(selection.chosen.size, "picture")} chosen: 1–9, 0, L or drag to label`
            : `${plural(all.length, "picture")}${arriving ? `; ${jobWords(arriving).toLowerCase()}` : ""}`}
        </span>
        {sending && (
          <div className="flex w-64 items-center gap-2" role="status">
            <span className="whitespace-nowrap">
              Sending {sending.sent} of {sending.total}
            </span>
            <ProgressBar done={sending.sent} total={sending.total} label="Sending files" />
            <Button onClick={stop}>Stop</Button>
          </div>
        )}
        <div className="ml-auto flex items-center gap-4">
          {!!bin.data?.count && (
            <Link to={`/p/${project.id}/rows/bin`} className="text-quiet hover:underline">
              Bin {bin.data.count.toLocaleString("en")}
            </Link>
          )}
          <Choice<GroupKey>
            label="Rows by"
            value={group}
            onChange={(value) => setAddress({ group: value === "class" ? undefined : value })}
            options={[
              { value: "class", label: "class" },
              { value: "set", label: "set" },
            ]}
          />
          <Choice<TileSize>
            label="Tiles"
            value={size}
            onChange={(value) => setAddress({ tile: String(value) })}
            options={TILE_SIZES.map((value) => ({ value, label: value, title: `${value} pixels` }))}
          />
        </div>
      </div>
      <div className="relative min-h-0 flex-1">
        {pictures.isPending && <Reading what="pictures" />}
        {pictures.isError && <Failed error={pictures.error} onRetry={() => void pictures.refetch()} />}
        {pictures.data && !all.length && arriving && (
          <Empty title={arriving.title}>
            <p className="mb-2">{jobWords(arriving)}</p>
            <ProgressBar done={arriving.done} total={arriving.total} label={arriving.title} />
          </Empty>
        )}
        {pictures.data && !all.length && !arriving && (
          <Empty title="No pictures yet">
            <p className="mb-4">
              Drop files, a folder, a zip or a tar here. You see which classes were understood, and what is
              skipped, before anything is stored; nothing is added twice.
            </p>
            <Button kind="main" onClick={bringIn}>
              Bring in pictures
            </Button>
          </Empty>
        )}
        {all.length > 0 && (
          <Field
            rows={rows}
            classes={classes}
            size={size}
            sheets={sheets}
            selection={selection}
            onSelection={setSelection}
            onLabel={label}
            onOpen={(picture) => setCloseUp(picture.id)}
            onKey={(event) => mendByKey(event, chosen)}
            onRenameClass={(classId) => setLaid({ kind: "rename class", classId })}
          />
        )}
        {over && (
          <div className="pointer-events-none absolute inset-3 z-30 flex items-center justify-center border-2 border-dashed border-choice bg-choice-wash/80 text-xl font-semibold">
            Drop to bring in; on the row of a class, as that class
          </div>
        )}
      </div>
      {opened && (
        <CloseUp
          projectId={project.id}
          picture={opened}
          split={split?.id}
          classes={classes}
          onClose={() => setCloseUp(undefined)}
          onStep={step}
          onKey={(event) => mendByKey(event, [opened.id])}
          onNote={(note) => void mending.note(opened.id, note)}
        />
      )}
      {laid?.kind === "take out" && (
        <TakeOutSheet
          projectId={project.id}
          pictures={all.length}
          chosen={chosen}
          split={split}
          onClose={() => setLaid(undefined)}
        />
      )}
      {laid?.kind === "divide" && (
        <DivideSheet
          projectId={project.id}
          classes={classes}
          split={split}
          onClose={() => setLaid(undefined)}
          onDivided={(made) => setAddress({ split: String(made.id) })}
        />
      )}
      {laid?.kind === "new class" && (
        <NameSheet
          title="New class"
          label="Name"
          action="Make class"
          onClose={() => setLaid(undefined)}
          onName={newClass}
        />
      )}
      {laid?.kind === "rename class" && (
        <NameSheet
          title="Rename class"
          label="New name"
          action="Rename"
          initial={classes.find((entry) => entry.id === laid.classId)?.name ?? ""}
          onClose={() => setLaid(undefined)}
          onName={(name) => renameClass(laid.classId, name)}
        />
      )}
      {laid?.kind === "label" && (
        <LabelSheet
          count={opened ? 1 : chosen.length}
          classes={classes}
          onClose={() => setLaid(undefined)}
          onChoose={(classId) => label(opened ? [opened.id] : chosen, classId)}
        />
      )}
    </div>
  );
}

function tileSizeOf(text: string | null): TileSize {
  return TILE_SIZES.find((value) => String(value) === text) ?? 56;
}
