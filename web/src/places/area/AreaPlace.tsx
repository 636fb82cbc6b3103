/** The working area: drawn once over many pictures, found by itself, given by a rule or to some pictures alone. */
import { type KeyboardEvent, useEffect, useRef, useState } from "react";
import { type FreshBy, useAreaCounts, useAreaRules, useAreaSample } from "../../api/areaQueries";
import type { AreaRule, AreaRules, AreaSample } from "../../api/client";
import { useAddress, usePlace } from "../../app/context";
import { type Area, areaFrom, USUAL_MARGIN, withRule } from "../../domain/area";
import { failureOf } from "../../domain/failure";
import { plural } from "../../domain/words";
import { Button } from "../../parts/Button";
import { Empty, Failed, Reading } from "../../parts/States";
import { PlaceHead } from "../head/PlaceHead";
import { useMending } from "../mending/useMending";
import { DrawnFields, FreshField, RulesNow, type Whom, WhomFields } from "./AreaFields";
import { DrawingSheet } from "./DrawingSheet";
import { FoundSheet } from "./FoundSheet";
import { type AreaDraft, useAreaDraft } from "./useAreaDraft";
import { useAreaSteps } from "./useAreaSteps";
import { useFinding } from "./useFinding";
import { Versions } from "./Versions";

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
  const keep = (next: readonly AreaRule[], by: FreshBy = freshBy, margin = draft.area.margin) =>
    steps.setRules({
      rules: next,
      freshBy: by,
      margin: margin ?? rules.fresh?.margin ?? USUAL_MARGIN,
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
  const pictures = useRef<HTMLElement>(null);
  useEffect(() => pictures.current?.focus(), []);
  useFollowed(rules, whom, draft);
  useOwn(whom === "own" ? sample.data : undefined, chosen, draft);
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
        <Versions
          rules={rules}
          onTake={(version) => void keep(version.rules, version.fresh_by, version.fresh?.margin)}
        />
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
          ref={pictures}
        >
          {sample.error && whom === "sift" ? (
            <Empty title="This Sift cannot be a rule">
              <p>{sample.error.message}</p>
            </Empty>
          ) : sample.error ? (
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

/** A chosen picture that has an area of its own is drawn on from there. */
function useOwn(
  sample: readonly AreaSample[] | undefined,
  chosen: readonly number[],
  draft: AreaDraft,
): void {
  const begun = useRef("");
  const ids = chosen.join();
  useEffect(() => {
    const first = sample?.find((picture) => picture.id === chosen[0]);
    if (!first || begun.current === ids) return;
    begun.current = ids;
    if (first.own) draft.begin(areaFrom(first.area));
  });
}
