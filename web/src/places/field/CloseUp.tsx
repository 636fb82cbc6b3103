/** One picture enlarged with its facts, laid over the field, which stays visible around it. */
import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import { type KeyboardEvent, useEffect, useState } from "react";
import type { ClassOf, Model, PictureDetail } from "../../api/client";
import { useHeatmap } from "../../api/judgingQueries";
import { type FieldQuery, usePictureDetail } from "../../api/queries";
import { areaFrom, areaWords } from "../../domain/area";
import { colourPlace } from "../../domain/classColour";
import { failureOf } from "../../domain/failure";
import { bytes, plural } from "../../domain/words";
import { Button } from "../../parts/Button";
import { ClassSign } from "../../parts/ClassSign";
import { Sheet } from "../../parts/Sheet";
import { Failed, Reading } from "../../parts/States";
import { takesKeys } from "../../parts/typing";
import { PictureFindings } from "../findings/PictureFindings";
import { CountingPart } from "./CountingPart";
import { Enlarged, useZoom } from "./Enlarged";
import { type Heat, HeatControls, HeatOverlay, useLooking } from "./Heat";
import { NearestLearnt } from "./NearestLearnt";
import { Said } from "./Said";

interface Props {
  projectId: number;
  pictureId: number;
  /** What the address names: the split, and the run whose answer is told. */
  asked: Pick<FieldQuery, "group" | "split" | "run" | "look">;
  classes: readonly ClassOf[];
  /** Of the run. */
  model: Model | undefined;
  onClose: () => void;
  onStep: (by: -1 | 1) => void;
  onKey: (event: KeyboardEvent) => void;
  onNote: (note: string) => void;
  /** Show what is most like it first. */
  onLike: () => void;
  /** Another picture instead, which need not be in the field. */
  onOpen: (pictureId: number) => void;
}

export function CloseUp(props: Props) {
  const { projectId, pictureId, asked, classes, model, onClose, onStep, onKey } = props;
  const detail = usePictureDetail(projectId, pictureId, asked);
  const picture = detail.data?.picture;
  const looks = useLooking();
  const labelled = picture?.class_id ?? null;
  const heat = { ...looks, found: useHeatmap(model, { id: pictureId, labelled }, looks.looking, asked.look) };
  const zoom = useZoom(picture);
  const onKeyDown = (event: KeyboardEvent) => {
    // What is typed into the note, or chosen by keys, is no command.
    if (takesKeys(event.target)) return;
    if (event.key === "ArrowLeft" || event.key === "ArrowRight") {
      event.preventDefault();
      onStep(event.key === "ArrowLeft" ? -1 : 1);
    } else if (model && event.key === "w") {
      heat.toggle();
    } else if (event.key === "+" || event.key === "-") {
      event.preventDefault();
      zoom.step(event.key === "+" ? 1 : -1);
      // Escape is the dialog's own: handled here it would clear the choice under it and leave it open.
    } else if (event.key !== "Escape") onKey(event);
  };
  const failure = failureOf(detail);
  if (failure || !detail.data || !picture) {
    return (
      <Sheet title="Close-up" open onClose={onClose}>
        {failure ? (
          <Failed error={failure} onRetry={() => void detail.refetch()} />
        ) : (
          <Reading what="the picture" />
        )}
      </Sheet>
    );
  }
  return (
    <Dialog open onClose={onClose} onKeyDown={onKeyDown} className="relative z-40 outline-none">
      <div className="pointer-events-none fixed inset-0 flex items-center justify-center">
        <DialogPanel className="shadow-float pointer-events-auto flex border border-hairline bg-surface">
          <div>
            <Enlarged
              picture={picture}
              of={zoom}
              over={
                <>
                  <CountingPart projectId={projectId} detail={detail.data} />
                  <HeatOverlay heat={heat} />
                </>
              }
            />
            {model && (
              <NearestLearnt
                model={model}
                pictureId={pictureId}
                look={asked.look}
                classes={classes}
                onOpen={props.onOpen}
              />
            )}
          </div>
          <Side
            detail={detail.data}
            entry={classes.find((item) => item.id === picture.class_id)}
            heat={heat}
            {...props}
          />
        </DialogPanel>
      </div>
    </Dialog>
  );
}

interface SideProps
  extends Pick<
    Props,
    "projectId" | "asked" | "classes" | "model" | "onClose" | "onStep" | "onNote" | "onLike" | "onOpen"
  > {
  detail: PictureDetail;
  entry: ClassOf | undefined;
  heat: Heat;
}

/** What is known of the picture, and where to go from it. */
function Side({ detail, entry, heat, ...props }: SideProps) {
  const picture = detail.picture;
  return (
    <div className={`flex w-[300px] flex-col p-4 ${props.model ? "h-[624px]" : "h-[520px]"}`}>
      <DialogTitle className="flex items-center gap-2 text-lg font-semibold">
        {entry && <ClassSign place={colourPlace(entry)} sign={entry.sign} />}
        {entry?.name ?? "unlabelled"}
      </DialogTitle>
      <p className="mb-3 text-sm wrap-anywhere text-quiet">{picture.name}</p>
      <div className="min-h-0 flex-1 overflow-y-auto">
        <PictureFindings
          projectId={props.projectId}
          pictureId={picture.id}
          classes={props.classes}
          settled={props.asked.group === "finding"}
          onOpen={props.onOpen}
        />
        {detail.said && props.model && (
          <Said said={detail.said} model={props.model} classes={props.classes} />
        )}
        {props.model && <HeatControls model={props.model} heat={heat} />}
        <Facts detail={detail} />
        <p className="mt-2">
          <Button kind="bare" className="-ml-2.5" title="In every row (M)" onClick={props.onLike}>
            Most alike first
          </Button>
        </p>
        <NoteField key={picture.id} note={picture.note} onNote={props.onNote} />
        <Story detail={detail} />
      </div>
      <div className="mt-2 flex justify-between">
        <Button onClick={() => props.onStep(-1)}>← Previous</Button>
        <Button onClick={() => props.onStep(1)}>Next →</Button>
        <Button kind="bare" onClick={props.onClose}>
          Close
        </Button>
      </div>
    </div>
  );
}

function Facts({ detail }: { detail: PictureDetail }) {
  const picture = detail.picture;
  return (
    <>
      <dl className="grid grid-cols-[64px_1fr] gap-y-0.5 text-sm">
        <dt className="text-quiet">set</dt>
        <dd>{picture.set_name ?? "none"}</dd>
        <dt className="text-quiet">size</dt>
        <dd>
          {picture.width} × {picture.height}
        </dd>
        <dt className="text-quiet">file</dt>
        <dd>
          {detail.format}, {detail.mode}, {bytes(detail.size_bytes)}
        </dd>
        {(detail.area || picture.own_area) && (
          <>
            <dt className="text-quiet">counts</dt>
            <dd data-testid="counts">
              {areaWords(areaFrom(detail.area))}; {picture.own_area ? "its own" : "by a rule"}
            </dd>
          </>
        )}
      </dl>
      {picture.excluded && <p className="mt-2 text-sm">Excluded: left out of dividing and training.</p>}
      {picture.unsure && <p className="mt-2 text-sm">Marked unsure.</p>}
      {picture.two_labels && <p className="mt-2 text-sm text-wrong">It came in under two labels.</p>}
    </>
  );
}

/** Where it came from, and what was done to it. */
function Story({ detail }: { detail: PictureDetail }) {
  return (
    <div className="mt-3 text-sm">
      <h3 className="font-semibold">
        Came in {detail.appearances.length === 1 ? "once" : plural(detail.appearances.length, "time")}
      </h3>
      <ul className="mb-3">
        {detail.appearances.map((seen) => (
          <li key={seen.path} className="wrap-anywhere text-quiet">
            {seen.path}
            {seen.class_name ? ` as ${seen.class_name}` : ""}
          </li>
        ))}
      </ul>
      {detail.history.length > 0 && <h3 className="font-semibold">History</h3>}
      <ul>
        {detail.history.map((line) => (
          <li key={line} className="text-quiet">
            {line}
          </li>
        ))}
      </ul>
    </div>
  );
}

function NoteField({ note, onNote }: { note: string; onNote: (note: string) => void }) {
  const [text, setText] = useState(note);
  useEffect(() => setText(note), [note]);
  const keep = () => text.trim() !== note && onNote(text.trim());
  return (
    <textarea
      aria-label="Note"
      placeholder="Note"
      rows={2}
      maxLength={5000}
      value={text}
      onChange={(event) => setText(event.target.value)}
      onBlur={keep}
      onKeyDown={(event) => {
        if (event.key === "Enter" && !event.shiftKey) {
          event.preventDefault();
          event.currentTarget.blur();
        }
      }}
      className="rounded-control mt-2 w-full resize-none border border-edge bg-surface px-2 py-1 text-sm"
    />
  );
}
