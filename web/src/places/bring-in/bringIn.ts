/** Takes files from a drop or a chooser to the server, and has it read them. */
import { client, header, type Import, need, sendFiles } from "../../api/client";

export interface ChosenFile {
  readonly path: string;
  readonly file: Blob;
}

interface PickedFile extends ChosenFile {
  readonly file: File;
}

/** Files are sent this many at a time. */
const AT_ONCE = 4;

export function fromChooser(files: FileList): PickedFile[] {
  return [...files].map((file) => ({ path: file.webkitRelativePath || file.name, file }));
}

async function filesOf(entry: FileSystemEntry): Promise<PickedFile[]> {
  if (entry.isFile) {
    const file = await new Promise<File>((resolve, reject) =>
      (entry as FileSystemFileEntry).file(resolve, reject),
    );
    return [{ path: entry.fullPath.replace(/^\/+/, ""), file }];
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  const found: PickedFile[] = [];
  // A reader hands out a hundred entries at a time, until none are left.
  for (;;) {
    const part = await new Promise<FileSystemEntry[]>((resolve, reject) =>
      reader.readEntries(resolve, reject),
    );
    if (!part.length) return found;
    for (const inner of part) found.push(...(await filesOf(inner)));
  }
}

/** Everything that was dropped, folders with all that lies in them. */
export async function fromDrop(data: DataTransfer): Promise<PickedFile[]> {
  const entries = [...data.items].map((item) => item.webkitGetAsEntry()).filter((entry) => entry !== null);
  const found: PickedFile[] = [];
  for (const entry of entries) found.push(...(await filesOf(entry)));
  return found;
}

export function sourceName(files: readonly ChosenFile[]): string {
  const first = files[0]?.path ?? "";
  const folder = first.includes("/") ? first.split("/")[0] : undefined;
  if (files.length === 1) return first.split("/").pop() ?? first;
  return folder && files.every((entry) => entry.path.startsWith(`${folder}/`))
    ? folder
    : `${files.length} files`;
}

/** Sends all files; `progress` hears how many are there. Rejects, and leaves nothing, at the first that cannot be. */
export async function upload(
  files: readonly ChosenFile[],
  progress: (sent: number) => void,
  signal: AbortSignal,
): Promise<string> {
  const { id } = await need(client.POST("/api/uploads"));
  try {
    let next = 0;
    let sent = 0;
    const sender = async () => {
      for (let entry = files[next++]; entry; entry = files[next++]) {
        signal.throwIfAborted();
        const body = new FormData();
        body.append("path", entry.path);
        body.append("file", entry.file, "file");
        await sendFiles("PUT", `/api/uploads/${id}/files`, body);
        progress(++sent);
      }
    };
    await Promise.all(Array.from({ length: AT_ONCE }, sender));
    return id;
  } catch (error) {
    await client.DELETE("/api/uploads/{upload_id}", { params: { path: { upload_id: id } } });
    throw error;
  }
}

export interface SourceOf {
  readonly kind: "upload" | "folder" | "bucket" | "project";
  readonly location: string;
  readonly name: string;
  /** Proposed as the class of all pictures. */
  readonly className?: string;
}

/** Has the server read a source; nothing of it is stored yet. */
export function readSource(projectId: number, source: SourceOf): Promise<Import> {
  return need(
    client.POST("/api/projects/{project_id}/imports", {
      params: { path: { project_id: projectId }, header },
      body: {
        kind: source.kind,
        location: source.location,
        name: source.name,
        class_name: source.className ?? "",
      },
    }),
  );
}
