/** The working area: drawn once over many pictures, found by itself, given by a rule or to some pictures alone. */
import { type KeyboardEvent, useEffect, useRef, useState } from "react";
import {
  type FreshBy,
  useAreaCounts,
  useAreaRules,
  useAreaSample,
  useAreaVersions,
} from "../../api/areaQueries";
import type { AreaRule, AreaRules, AreaSample } from "../../api/client";
import { useAddress, usePlace } from "../../app/context";
import { type Area, areaFrom, areaWords, ruleFor, USUAL_MARGIN, withRule } from "../../domain/area";
import { failureOf } from "../../domain/failure";
import { moment, plural } from "../../domain/words";
import { Button } from "../../parts/Button";
import { Sheet } from "../../parts/Sheet";
import { Empty, Failed, Reading } from "../../parts/States";
import { useSize } from "../../parts/useSize";
import { PlaceHead } from "../head/PlaceHead";
import { useMending } from "../mending/useMending";
import { DrawnFields, FreshField, RulesNow, type Whom, WhomFields } from "./AreaFields";
import { AreaTile } from "./AreaTile";
import { FoundSheet } from "./FoundSheet";
import { type AreaDraft, useAreaDraft } from "./useAreaDraft";
import { useAreaSteps } from "./useAreaSteps";
import { useFinding } from "./useFinding";

/** Pictures on the sheet, and how many are looked at for what stands out. */
const SHOWN = 12;
const LOOKED_AT = 120;

export function AreaPlace() {
  const { project } = usePlace();
  const rules = useAreaRules(project.id);
  const failure = failureOf(rules);
  if (failure) return <Failed error={failure} onRetry={() => void rules.refetch()} />;
  if (!rules.data) return <Reading what="the working area" />;
  return <AreaSheet rules={rules.data} />;
}

/** The pictures that the address names: those that were chosen in Rows. */
function useChosen(): [readonly number[], (ids: readonly number[]) => void] {
  const [address, setAddress] = useAddress();
  const ids = (address.get("pictures") ?? "")
    .split(",")
    .map(Number)
    .filter((id) => id > 0);
  return [ids, (next) => setAddress({ pictures: next.join(",") })];
}

function ruleOf(rules: readonly AreaRule[], sift: string): Area {
  return areaFrom(rules.find((rule) => rule.sift === sift)?.area);
}

function AreaSheet({ rules }: { rules: AreaRules }) {
  const { project } = usePlace();
  const [chosen, setChosen] = useChosen();
  const [whom, setWhom] = useState<Whom>(chosen.length ? "own" : "all");
  const [sift, setSift] = useState("");
  const [turn, setTurn] = useState(0);
  const [marked, setMarked] = useState<ReadonlySet<number>>(new Set());
  const [fresh, setFresh] = useState<FreshBy>();
  const draft = useAreaDraft(ruleOf(rules.rules, ""));
  const steps = useAreaSteps(project.id);
  const mending = useMending(project.id);
  const counts = useAreaCounts(project.id);
  const finds = draft.way === "found";
  const sample = useAreaSample(project.id, {
    sift: whom === "sift" ? sift : "",
    count: finds && whom !== "own" ? LOOKED_AT : SHOWN,
    turn,
    pictureIds: whom === "own" ? chosen : [],
  });
  const finding = useFinding(project.id, sample.data, draft.area, finds);
  const freshBy = fresh ?? rules.fresh_by;
  const keep = (next: readonly AreaRule[], by: FreshBy = freshBy) =>
    steps.setRules({
      rules: next,
      freshBy: by,
      margin: draft.area.margin ?? rules.fresh?.margin ?? USUAL_MARGIN,
      was: rules.number,
    });
  const take = () => {
    if (whom === "own") return void steps.giveOwn(chosen, draft.area);
    void keep(withRule(rules.rules, whom === "sift" ? sift.trim() : "", draft.area));
  };
  const edit = (rule: AreaRule) => {
    setWhom(rule.sift ? "sift" : "all");
    setSift(rule.sift);
    draft.begin(areaFrom(rule.area));
  };
  const onKey = (event: KeyboardEvent) => {
    if (event.target instanceof HTMLInputElement && event.target.type !== "radio") return;
    const asks = event.ctrlKey || event.metaKey;
    if (asks && event.key === "Enter") take();
    else if (draft.onKey(event)) event.stopPropagation();
    else if (asks && event.key.toLowerCase() === "z" && event.shiftKey) void mending.redo();
    else if (asks && event.key === "y") void mending.redo();
    else if (asks && event.key === "z") void mending.undo();
    else return;
    event.preventDefault();
  };
  const drawOn = () => {
    setChosen([...marked]);
    setWhom("own");
    setMarked(new Set());
    draft.setWay("part");
  };
  useFollowed(rules, whom, draft);
  return (
    <section
      aria-label="Working area"
      className="flex h-full flex-col outline-none"
      data-testid="area-place"
      onKeyDown={onKey}
    >
      <PlaceHead title="Working area">
        {whom === "own" && (
          <Button title="The rules apply to them again" onClick={() => void steps.giveOwn(chosen, null)}>
            Take their own away
          </Button>
        )}
        <Versions rules={rules} onTake={(version) => void keep(version.rules, version.fresh_by)} />
        <Button title="Take back this window's last step (Ctrl + Z)" onClick={() => void mending.undo()}>
          Undo
        </Button>
        <Button kind="main" title="Ctrl + Enter" disabled={whom === "sift" && !sift.trim()} onClick={take}>
          {takeWords(whom, chosen.length)}
        </Button>
      </PlaceHead>
      <div className="flex min-h-0 flex-1">
        <aside
          className="flex w-[316px] shrink-0 flex-col gap-2.5 overflow-y-auto border-r border-hairline px-3 py-2"
          aria-label="What counts"
        >
          <DrawnFields draft={draft} />
          <WhomFields
            whom={whom}
            chosen={chosen.length}
            sift={sift}
            wrong={whom === "sift" ? sample.error?.message : undefined}
            onWhom={(next) => {
              setWhom(next);
              if (next === "all") draft.begin(ruleOf(rules.rules, ""));
            }}
            onSift={setSift}
          />
          {whom !== "own" && (
            <FreshField
              freshBy={freshBy}
              onChange={(by) => {
                setFresh(by);
                void keep(rules.rules, by).then(() => setFresh(undefined));
              }}
            />
          )}
          <RulesNow
            rules={rules.rules}
            counts={counts.data}
            onEdit={edit}
            onRemove={(gone) => void keep(rules.rules.filter((rule) => rule.sift !== gone))}
          />
        </aside>
        {/* Takes the focus, so that the keys of drawing reach it. */}
        <section
          className="min-w-0 flex-1 overflow-y-auto px-4 py-2"
          aria-label="Pictures"
          // biome-ignore lint/a11y/noNoninteractiveTabindex: what is drawn is moved by keys
          tabIndex={0}
        >
          {sample.error && whom !== "sift" ? (
            <Failed error={sample.error} onRetry={() => void sample.refetch()} />
          ) : !sample.data ? (
            <Reading what="the pictures" />
          ) : sample.data.length === 0 ? (
            <Empty title="No picture to draw on">
              <p>
                {project.pictures
                  ? "The Sift lets none through; write it wider."
                  : "Bring in pictures first, in Rows."}
              </p>
            </Empty>
          ) : finds ? (
            <FoundSheet
              pictures={sample.data}
              finding={finding}
              area={draft.area}
              chosen={marked}
              onToggle={(id) => setMarked((now) => toggled(now, id))}
              onOthers={() => setTurn((now) => now + 1)}
              onDraw={drawOn}
            />
          ) : (
            <DrawingSheet
              pictures={sample.data}
              draft={draft}
              own={whom === "own"}
              onOthers={() => setTurn((now) => now + 1)}
            />
          )}
        </section>
      </div>
    </section>
  );
}

function toggled(chosen: ReadonlySet<number>, id: number): ReadonlySet<number> {
  const next = new Set(chosen);
  if (!next.delete(id)) next.add(id);
  return next;
}

function takeWords(whom: Whom, chosen: number): string {
  if (whom === "own") return `Give it to ${plural(chosen, "picture")}`;
  return whom === "all" ? "Set for all pictures" : "Set as a rule";
}

/** What was taken back, or changed in another window, stands on the sheet too, unless something is being drawn. */
function useFollowed(rules: AreaRules, whom: Whom, draft: AreaDraft): void {
  const number = useRef(rules.number);
  useEffect(() => {
    if (number.current === rules.number) return;
    number.current = rules.number;
    if (whom === "all") draft.begin(ruleOf(rules.rules, ""));
  });
}

interface DrawingProps {
  pictures: readonly AreaSample[];
  draft: AreaDraft;
  /** It is drawn for these very pictures. */
  own: boolean;
  onOthers: () => void;
}

function DrawingSheet({ pictures, draft, own, onOthers }: DrawingProps) {
  const [place, size] = useSize();
  const columns = Math.min(pictures.length, 4);
  const rows = Math.min(3, Math.ceil(pictures.length / columns));
  const { width, height } = size ?? { width: 0, height: 0 };
  const room = [
    Math.max(80, Math.floor((width - 12 * (columns - 1)) / columns)),
    Math.max(80, Math.floor((height - 8) / rows) - 24),
  ] as const;
  return (
    <div className="flex h-full flex-col">
      <div className="mb-1 flex items-center gap-3">
        <p className="text-quiet">
          {own
            ? `${plural(pictures.length, "picture")} of those chosen: bright is what counts.`
            : "Bright is what counts: the same part of each, so that it can be seen whether it fits them all."}
        </p>
        {!own && (
          <Button className="ml-auto" onClick={onOthers}>
            Other pictures
          </Button>
        )}
      </div>
      <div
        ref={place}
        className="grid min-h-0 flex-1 content-start gap-x-3 gap-y-1"
        style={{ gridTemplateColumns: `repeat(${columns}, minmax(0, 1fr))` }}
        data-testid="area-sheet"
      >
        {width > 0 &&
          pictures.map((picture) => {
            const apart = picture.own && !own;
            const area = apart ? areaFrom(picture.area) : draft.area;
            return (
              <AreaTile
                key={picture.id}
                picture={picture}
                room={room}
                area={area}
                draft={apart ? undefined : draft}
                words={apart ? `its own: ${areaWords(area)}` : picture.name}
              />
            );
          })}
      </div>
    </div>
  );
}

/** Every version of the rules, to go back to. */
function Versions({ rules, onTake }: { rules: AreaRules; onTake: (version: AreaRules) => void }) {
  const { project } = usePlace();
  const [open, setOpen] = useState(false);
  const versions = useAreaVersions(project.id, open);
  if (!rules.number) return null;
  return (
    <>
      <Button title="Every version of the rules" onClick={() => setOpen(true)}>
        Version {rules.number}
      </Button>
      <Sheet title="Versions of the rules" open={open} onClose={() => setOpen(false)}>
        {!versions.data && <Reading what="the versions" />}
        <ul className="max-h-[420px] overflow-y-auto">
          {versions.data?.map((version) => (
            <li key={version.number} className="flex items-baseline gap-3 border-t border-hairline py-1.5">
              <span className="w-6 font-mono">{version.number}</span>
              <span className="min-w-0 flex-1">
                {version.rules.length === 0 && "no rule"}
                {version.rules.map((rule) => (
                  <span key={rule.sift} className="block">
                    {ruleFor(rule.sift)}: {areaWords(areaFrom(rule.area))}
                  </span>
                ))}
                <span className="block text-sm text-quiet">
                  a picture from elsewhere: {areaWords(areaFrom(version.fresh))}
                  {version.created_at && `; ${moment(version.created_at)}`}
                </span>
              </span>
              {version.number === rules.number ? (
                <span className="text-sm text-quiet">holds now</span>
              ) : (
                <Button
                  onClick={() => {
                    setOpen(false);
                    onTake(version);
                  }}
                >
                  Take it again
                </Button>
              )}
            </li>
          ))}
        </ul>
      </Sheet>
    </>
  );
}
