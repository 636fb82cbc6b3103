/** The shape of the page: who may import whom, and how long a function may be. */
import ts from "typescript";
import { describe, expect, it } from "vitest";

const TEXTS: Record<string, string> = Object.fromEntries(
  Object.entries(
    import.meta.glob<string>("../src/**/*.{ts,tsx}", { query: "?raw", import: "default", eager: true }),
  ).map(([path, text]) => [path.replace("../src/", ""), text]),
);
const FILES = Object.keys(TEXTS).filter((path) => !path.endsWith(".d.ts"));

function parsed(path: string): ts.SourceFile {
  const kind = path.endsWith("x") ? ts.ScriptKind.TSX : ts.ScriptKind.TS;
  return ts.createSourceFile(path, TEXTS[path] ?? "", ts.ScriptTarget.Latest, true, kind);
}

/** The file that a relative import names, without its ending. */
function resolved(path: string, text: string): string {
  return new URL(text, `https://page/${path}`).pathname.slice(1);
}

/** What a file imports of ours, and whether only types. */
function imports(path: string): { target: string; typesOnly: boolean }[] {
  return parsed(path).statements.flatMap((statement) => {
    if (!ts.isImportDeclaration(statement) || !ts.isStringLiteral(statement.moduleSpecifier)) return [];
    const text = statement.moduleSpecifier.text;
    if (!text.startsWith(".")) return [];
    const clause = statement.importClause;
    const named = clause?.namedBindings;
    const typesOnly =
      !!clause?.isTypeOnly ||
      (!!named && ts.isNamedImports(named) && named.elements.every((element) => element.isTypeOnly));
    return [{ target: resolved(path, text), typesOnly }];
  });
}

/** The room that a file is in: a folder, and of the places which one. */
function room(path: string): string {
  const [first = "", second = ""] = path.split("/");
  return first === "places" ? `places/${second}` : path.includes("/") ? first : "";
}

/** The four places of the address; what several of them use has a room of its own beside them. */
const PLACES = ["places/rows", "places/runs", "places/review", "places/release"];

/** Rooms by what they may use of each other, from the ground up. */
const ALLOWED: Record<string, (target: string) => boolean> = {
  domain: (target) => target === "domain",
  api: (target) => ["api", "domain"].includes(target),
  parts: (target) => ["parts", "domain", "api"].includes(target),
  // What is handed over: an engine that stands alone, and a page that asks nobody.
  engine: (target) => target === "engine",
  page: (target) => ["page", "engine", "domain", "parts"].includes(target),
  // For visitors of a served model: it asks its own address, and not the application.
  visit: (target) => ["visit", "page", "domain", "parts"].includes(target),
  app: () => true,
  "": () => true,
};

function may(from: string, target: string, path: string): boolean {
  const rule = ALLOWED[from];
  if (rule) return rule(target);
  if (target.startsWith("places/")) return target === from || !PLACES.includes(target);
  // Places know what the address means, and nothing else of the frame around them.
  return ["domain", "api", "parts"].includes(target) || path === "app/context";
}

describe("imports", () => {
  it.each(FILES)("of %s point one way", (path) => {
    const wrong = imports(path).filter(({ target, typesOnly }) => {
      // The wire's types are everybody's: they are made from the server's schema.
      if (typesOnly && target === "api/client") return false;
      return !may(room(path), room(target), target);
    });
    expect(wrong.map(({ target }) => target)).toEqual([]);
  });
});
