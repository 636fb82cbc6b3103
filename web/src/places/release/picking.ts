/** What is to be tried, wherever it comes from: files, folders, what lies in a zip. */
import { unzipSync } from "fflate";
import { Problem } from "../../api/problem";

/** A file with the folders that it lay in. */
export interface Picked {
  readonly path: string;
  readonly file: File;
}

const PICTURE = /\.(jpe?g|png|webp|bmp|tiff?|gif|hei[cf])$/i;
const ZIP = /\.zip$/i;
/** Says which classes pictures truly have. */
const TABLE = /\.(csv|tsv)$/i;

/** All of a zip lies in the memory of this page, its pictures opened. */
const MOST_BYTES = 2 ** 31;

/** So many are opened before the page may draw again. */
const OPENED_AT_ONCE = 32;

export interface Pictures {
  readonly pictures: readonly Picked[];
  readonly tables: readonly Picked[];
  /** How many files were neither. */
  readonly others: number;
}

/**
 * Pictures and tables, zips opened. A single file that is neither is left in, to be told so. Rejects with a `Problem`.
 */
export async function picturesOf(picked: readonly Picked[]): Promise<Pictures> {
  const files: Picked[] = [];
  const tables: Picked[] = [];
  let others = 0;
  for (const one of picked) {
    if (ZIP.test(one.path)) {
      const inside = await unzipped(one);
      files.push(...inside.pictures);
      tables.push(...inside.tables);
      others += inside.others;
    } else if (isTable(one.path)) tables.push(one);
    else if (picked.length === 1 || PICTURE.test(one.path)) files.push(one);
    else others++;
  }
  if (!files.length && !tables.length) {
    const where = picked.length === 1 ? (picked[0]?.path ?? "") : `these ${picked.length} files`;
    throw new Problem(
      `No picture lies in ${where}.`,
      "Take JPEG, PNG, WebP, TIFF, BMP, GIF or HEIC files.",
      0,
    );
  }
  return { pictures: files, tables, others };
}

async function unzipped({ path, file }: Picked): Promise<Pictures> {
  const bytes = new Uint8Array(await file.arrayBuffer());
  const names: string[] = [];
  let others = 0;
  let size = 0;
  open(path, bytes, ({ name, originalSize }) => {
    if (isPicture(name) || isTable(name)) {
      names.push(name);
      size += originalSize;
    } else if (!name.endsWith("/")) others++;
    return false;
  });
  if (size > MOST_BYTES) {
    throw new Problem(
      `${path} holds more than 2 GB of pictures.`,
      "Bring it in as a project, and have the model judge that.",
      0,
    );
  }
  const found: Picked[] = [];
  for (let start = 0; start < names.length; start += OPENED_AT_ONCE) {
    const part = new Set(names.slice(start, start + OPENED_AT_ONCE));
    const opened = open(path, bytes, ({ name }) => part.has(name));
    for (const [name, content] of Object.entries(opened)) {
      found.push({ path: `${path.replace(ZIP, "")}/${name}`, file: new File([content], lastOf(name)) });
    }
    await new Promise((resolve) => setTimeout(resolve));
  }
  const tables = found.filter((one) => isTable(one.path));
  return { pictures: found.filter((one) => !tables.includes(one)), tables, others };
}

function open(path: string, bytes: Uint8Array, filter: (entry: Entry) => boolean) {
  try {
    return unzipSync(bytes, { filter });
  } catch {
    throw new Problem(`${path} cannot be opened as a zip.`, "See whether it was copied whole.", 0);
  }
}

interface Entry {
  readonly name: string;
  readonly originalSize: number;
}

/** Hidden files, which some systems lay beside each picture, are none. */
function isPicture(name: string): boolean {
  return PICTURE.test(name) && !lastOf(name).startsWith(".");
}

function isTable(name: string): boolean {
  return TABLE.test(name) && !lastOf(name).startsWith(".");
}

/** The name of a file without its folders. */
export function lastOf(path: string): string {
  return path.split("/").filter(Boolean).pop() ?? path;
}

/** Whether a text names a place on the web. */
export function isWebAddress(text: string): boolean {
  return /^https?:\/\/\S+$/i.test(text.trim()) && URL.canParse(text.trim());
}
