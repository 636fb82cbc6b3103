/** Models that others ask: how they do it, and what a token lets its holder do, in words. */
import { milliseconds, percent, plural } from "./words";

export interface ServedModel {
  readonly slug: string;
  readonly name: string;
  readonly project_id: number;
}

export interface TokenFacts {
  readonly offers: readonly { readonly project: number; readonly name: string }[] | null;
  readonly per_minute: number | null;
}

export type Example = "curl" | "python";

/** What a person types to ask about one picture file; the token comes from the environment, so that no history keeps it. */
export function exampleOf(kind: Example, address: string, slug: string): string {
  const whole = `${address}/models/${slug}/predict`;
  if (kind === "curl") {
    return [
      `curl ${whole} \\`,
      '  -H "Authorization: Bearer $ORCHARD_TOKEN" \\',
      '  -H "Content-Type: image/jpeg" --data-binary @crystal.jpg',
    ].join("\n");
  }
  return [
    "import json, os, urllib.request",
    "",
    "asked = urllib.request.Request(",
    `    "${whole}",`,
    '    data=open("crystal.jpg", "rb").read(),',
    '    headers={"Authorization": "Bearer " + os.environ["ORCHARD_TOKEN"], "Content-Type": "image/jpeg"},',
    ")",
    "with urllib.request.urlopen(asked) as answer:",
    '    said = json.load(answer)["answers"][0]',
    'print(said["answer"], said["p"], "unsure" if said["unsure"] else "")',
  ].join("\n");
}

/** A page for visitors of a model; the token in its fragment is sent to nobody before it is asked with. */
export function visitLink(address: string, slug: string, secret: string): string {
  return `${address}/visit/${slug}#${encodeURIComponent(secret)}`;
}

/** Which models a token may ask: those that are served now by their names, others as they were written. */
export function modelsWords(token: TokenFacts, served: readonly ServedModel[]): string {
  if (token.offers === null) return "every model";
  return token.offers
    .map(
      ({ project, name }) =>
        served.find((one) => one.project_id === project && one.name.toLowerCase() === name)?.name ??
        `${name}, not in use`,
    )
    .join("; ");
}

export function rateWords({ per_minute: most }: TokenFacts): string {
  return most === null ? "as there is room" : `${plural(most, "picture")} a minute`;
}

export interface UseFigures {
  readonly requests: number;
  readonly pictures: number;
  readonly unsure: number;
  readonly answers: Readonly<Record<string, number>>;
  readonly within_s: number | null;
}

/** What was asked of a model, and how soon it was answered. */
export function askedWords({ requests, pictures, unsure, within_s: within }: UseFigures): string {
  const soon = within === null ? "" : `, nineteen of twenty within ${milliseconds(within)}`;
  return `${plural(pictures, "picture")} in ${plural(requests, "request")}${soon}; ${percent(unsure, pictures)} unsure`;
}

const REASONS: Record<string, string> = {
  "401": "without a token",
  "404": "for no such model",
  "408": "too slow",
  "413": "too large",
  "422": "no picture",
  "429": "too many at once",
  "503": "before it was ready",
};

/** Requests that were refused, and why; "" where none was. */
export function refusedWords(refused: Readonly<Record<string, number>>): string {
  const told = Object.entries(refused).map(
    ([status, count]) => `${count.toLocaleString("en")} ${REASONS[status] ?? `told ${status}`}`,
  );
  return told.length ? `Refused: ${told.join(", ")}.` : "";
}

/** What of the process is to be known. */
export function servingWords(serving: {
  readonly address: string;
  readonly answers: boolean;
  readonly open: boolean;
  readonly models: readonly unknown[];
}): string {
  if (!serving.address) return "Nothing is served: VAST_ORCHARD_SERVING_PORT is 0.";
  if (!serving.models.length)
    return "No model is in use, so nothing is served. Put one in use under On offer.";
  if (!serving.answers) return `The serving process is being started at ${serving.address}.`;
  const who = serving.open
    ? "others reach it, and are let in by a token"
    : "this machine alone reaches it, by VAST_ORCHARD_SERVING_HOST others do";
  return `${plural(serving.models.length, "model")} served at ${serving.address}; ${who}.`;
}
