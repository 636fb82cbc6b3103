/** What a visitor's page asks: the model of its address, with the token of its fragment. */

export interface VisitedModel {
  readonly title: string;
  readonly classes: readonly string[];
}

export interface VisitAnswer {
  readonly file: string;
  readonly error: string | null;
  readonly unsure: boolean | null;
  readonly probabilities: Readonly<Record<string, number>>;
}

/** Of an address like /visit/ridge-station#token; undefined where either is missing. */
export function linkOf(path: string, hash: string): { slug: string; token: string } | undefined {
  const slug = path.match(/^\/visit\/([a-z0-9-]+)\/?$/)?.[1];
  const token = decodeURIComponent(hash.replace(/^#/, ""));
  return slug && token ? { slug, token } : undefined;
}

/** Rejects with an error in words. */
async function told<T>(path: string, token: string, init: RequestInit = {}): Promise<T> {
  let response: Response;
  try {
    response = await fetch(path, { ...init, headers: { Authorization: `Bearer ${token}` } });
  } catch {
    throw new Error("The model does not answer. Look whether this device is connected, then try again.");
  }
  const said = await response.json().catch(() => ({}));
  if (response.status === 401)
    throw new Error("This link lets nobody in any more. Ask whoever gave it for another.");
  if (response.status === 404)
    throw new Error("There is no such model any more. Ask whoever gave you the link.");
  if (!response.ok)
    throw new Error([said.detail, said.mend].filter(Boolean).join(" ") || `Refused: ${response.status}.`);
  return said as T;
}

export async function visited(slug: string, token: string): Promise<VisitedModel> {
  return (await told<{ parameters: VisitedModel }>(`/v2/models/${slug}`, token)).parameters;
}

export async function answersFor(
  slug: string,
  token: string,
  files: readonly File[],
): Promise<VisitAnswer[]> {
  const body = new FormData();
  for (const file of files) body.append("file", file, file.name);
  const found = await told<{ answers: VisitAnswer[] }>(`/models/${slug}/predict`, token, {
    method: "POST",
    body,
  });
  return found.answers;
}
