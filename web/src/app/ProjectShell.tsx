/** A project's frame: its four places along the top edge, the Footing under them, and the place itself. */
import { useEffect, useRef, useState } from "react";
import { Link, NavLink, Outlet, useLocation, useNavigate, useParams, useSearchParams } from "react-router";
import type { Run } from "../api/client";
import { useClasses, useProject, useSplits } from "../api/queries";
import { runsOf, useFooting, useLedger, useRun } from "../api/runQueries";
import { failureOf } from "../domain/failure";
import { type FootingPart, footingParts, nextStep } from "../domain/footing";
import { isUnderWay, newestResult } from "../domain/runs";
import { Failed, Reading } from "../parts/States";
import { namedIn, type PlaceContext } from "./context";
import { KeySheet } from "./KeySheet";
import { ThemeSwitch } from "./ThemeSwitch";
import { Tray } from "./Tray";

const PLACES = [
  { path: "rows", name: "Rows", key: "r" },
  { path: "runs", name: "Runs", key: "u" },
  { path: "review", name: "Review", key: "v" },
  { path: "release", name: "Release", key: "l" },
] as const;

/** `g` waits this long for its letter. */
const CHORD_MS = 1500;

export function ProjectShell() {
  const projectId = Number(useParams().projectId);
  const [params] = useSearchParams();
  const project = useProject(projectId);
  const classes = useClasses(projectId);
  const splits = useSplits(projectId);
  const ledger = useLedger(projectId);
  const [keysOpen, setKeysOpen] = useState(false);
  useChords(() => setKeysOpen(true));

  const runs = runsOf(ledger.data);
  const named = useNamedRun(runs, params.get("run"), projectId);
  const chosenRun = named ?? newestResult(runs);
  const footing = useFooting(projectId, chosenRun?.id);

  const failed = [project, classes, splits, ledger].find(failureOf);
  if (failed) return <Failed error={failed.error} onRetry={() => void failed.refetch()} />;
  if (!project.data || !classes.data || !splits.data || !ledger.data) return <Reading what="the project" />;

  const context: PlaceContext = {
    project: project.data,
    classes: classes.data,
    splits: splits.data,
    runs,
    named,
    split: namedIn(splits.data, params.get("split")) ?? splits.data[0],
    run: chosenRun,
  };
  const parts = chosenRun
    ? footingParts(chosenRun, footing.data)
    : [
        nextStep({
          pictures: project.data.pictures,
          classes: classes.data.filter((entry) => entry.count).length,
          running: runs.some(isUnderWay),
        }),
      ];
  return (
    <div className="flex h-full flex-col">
      <title>{`${project.data.name} · Vast Orchard`}</title>
      <header className="flex items-stretch border-b border-hairline pl-4 pr-2">
        <Link to="/" className="flex items-center pr-2 text-quiet hover:text-ink" title="All projects">
          Projects
        </Link>
        <span className="flex items-center text-quiet">/</span>
        <h1 className="flex max-w-[260px] items-center truncate px-2 font-semibold">{project.data.name}</h1>
        <nav aria-label="Places" className="ml-6 flex flex-1 items-stretch gap-1">
          {PLACES.map((place) => (
            <NavLink
              key={place.path}
              to={{ pathname: place.path, search: carried(params) }}
              title={`${place.name} (g ${place.key})`}
              className={({ isActive }) =>
                `flex items-center border-b-2 px-3 py-2 ${
                  isActive ? "border-choice font-semibold" : "border-transparent text-quiet hover:text-ink"
                }`
              }
            >
              {place.name}
            </NavLink>
          ))}
        </nav>
        <div className="flex items-center gap-1">
          <Tray />
          <button
            type="button"
            onClick={() => setKeysOpen(true)}
            className="cursor-pointer px-2 text-quiet hover:text-ink"
            title="Keys of this place (?)"
          >
            Keys
          </button>
          <ThemeSwitch />
        </div>
      </header>
      <FootingLine parts={parts} search={carried(params)} />
      <main className="min-h-0 flex-1">
        <Outlet context={context} />
      </main>
      <KeySheet open={keysOpen} onClose={() => setKeysOpen(false)} />
    </div>
  );
}

/** The run that the address names; one that stands further down the Ledger is read by itself. */
function useNamedRun(runs: readonly Run[], text: string | null, projectId: number): Run | undefined {
  const listed = namedIn(runs, text);
  const alone = useRun(text && !listed && Number(text) > 0 ? Number(text) : undefined);
  return listed ?? (alone.data?.project_id === projectId ? alone.data : undefined);
}

/** Project, split and run go along from place to place; what belongs to one place stays there. */
function carried(params: URLSearchParams): string {
  const kept = new URLSearchParams();
  for (const key of ["run", "split"]) {
    const value = params.get(key);
    if (value) kept.set(key, value);
  }
  const text = kept.toString();
  return text ? `?${text}` : "";
}

function FootingLine({ parts, search }: { parts: readonly FootingPart[]; search: string }) {
  return (
    <section
      aria-label="Footing"
      data-testid="footing"
      className="border-b border-hairline px-4 py-1 text-quiet"
    >
      {parts.map((part, index) => (
        <span key={part.text}>
          {index > 0 && (parts[index]?.text.startsWith("of ") ? " " : ", ")}
          <Link
            to={{ pathname: part.opens, search }}
            className={`hover:underline ${part.changed ? "bg-wrong-wash px-1 font-semibold text-wrong" : ""}`}
          >
            {part.text}
          </Link>
        </span>
      ))}
    </section>
  );
}

function isTyping(target: EventTarget | null): boolean {
  return (
    target instanceof HTMLElement &&
    (target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName))
  );
}

function useChords(openKeys: () => void): void {
  const navigate = useNavigate();
  const location = useLocation();
  const { projectId } = useParams();
  const since = useRef(0);
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (isTyping(event.target) || event.ctrlKey || event.metaKey || event.altKey) return;
      if (event.key === "?") openKeys();
      else if (event.key === "g") since.current = Date.now();
      else if (Date.now() - since.current < CHORD_MS) {
        const place = PLACES.find((entry) => entry.key === event.key);
        since.current = 0;
        if (place) {
          event.preventDefault();
          event.stopPropagation();
          navigate({
            pathname: `/p/${projectId}/${place.path}`,
            search: carried(new URLSearchParams(location.search)),
          });
        }
      }
    };
    // Before the field hears it: `g` then a letter must not label a picture.
    window.addEventListener("keydown", onKey, true);
    return () => window.removeEventListener("keydown", onKey, true);
  }, [navigate, projectId, location.search, openKeys]);
}
