/** Release: try a model on new pictures, and hand it over with its proof. */
import { type ReactNode, useState } from "react";
import { Link } from "react-router";
import type { Model, Run } from "../../api/client";
import { useAddress, usePlace } from "../../app/context";
import { oneThreshold, thresholdOf } from "../../domain/sureness";
import { Button } from "../../parts/Button";
import { Choice } from "../../parts/Choice";
import { useNotices } from "../../parts/Notices";
import { ProgressBar } from "../../parts/ProgressBar";
import { Empty } from "../../parts/States";
import { useDrop } from "../../parts/useDrop";
import { fromDrop } from "../bring-in/bringIn";
import { NothingYet } from "../head/NothingYet";
import type { Second } from "./Beside";
import { Chooser } from "./Chooser";
import { HandOver } from "./HandOver";
import { HistoryView } from "./HistoryView";
import { useHistory } from "./history";
import { Live } from "./Live";
import { Offers } from "./Offers";
import type { Picked } from "./picking";
import { Serving } from "./Serving";
import { TriedMany } from "./TriedMany";
import { type Tried, TriedPicture } from "./TriedPicture";
import { useTrying } from "./useTrying";

export function ReleasePlace() {
  const { run } = usePlace();
  if (!run?.model) {
    return (
      <NothingYet
        title="No model yet"
        words="Once a run has kept an epoch, it is tried on new pictures and handed over here."
      />
    );
  }
  if (!run.model.has_weights)
    return (
      <Empty title={`Run ${run.number} is what folds answered`}>
        <p className="mb-4">
          No one network stands behind it, so there is nothing to try or to hand over. The plan's final
          training makes one that has learnt from all of these pictures.
        </p>
        <Link to={{ pathname: "../runs", search: `?plan=${run.group_id}` }} className="text-choice underline">
          Open the plan
        </Link>
      </Empty>
    );
  return <Release run={run} model={run.model} key={run.id} />;
}

function Release({ run, model }: { run: Run; model: Model }) {
  const { project } = usePlace();
  const history = useHistory(project.id);
  const { tried, current, show, going, stop, clear, ask } = useTrying(model, (fresh) =>
    history.add(model, fresh),
  );
  const [address, setAddress] = useAddress();
  const view = viewOf(address.get("view"));
  const setView = (next: View) => setAddress({ view: next === "try" ? undefined : next });
  const [calibrated, setCalibrated] = useState(model.unsure_below !== null);
  const [own, setOwn] = useState<number>();
  const [second, setSecond] = useState<Second>();
  const [live, setLive] = useState(false);
  const isSet = (of: Model) => calibrated && of.unsure_below !== null;
  const set = isSet(model);
  const askedOf = (of: Model) => ({
    names: of.classes.map((entry) => entry.name),
    calibrated,
    thresholdFor: (place: number) => own ?? (isSet(of) ? thresholdOf(of, place) : 0.5),
  });
  return (
    <div className="flex h-full">
      {view !== "try" ? (
        <section aria-label={VIEW_TITLES[view]} className="flex min-w-0 flex-1 flex-col">
          <div className="border-b border-hairline px-4 py-1.5">
            <Views view={view} onChange={setView} />
          </div>
          {view === "offers" ? (
            <Offers />
          ) : view === "served" ? (
            <Serving />
          ) : (
            <HistoryView history={history} />
          )}
        </section>
      ) : (
        <TryArea onFiles={ask}>
          <div className="flex flex-wrap items-center gap-x-2 gap-y-1 border-b border-hairline px-4 py-1.5">
            <Views view="try" onChange={setView} />
            <Chooser
              model={model}
              first={!tried.length}
              busy={going !== undefined}
              onFiles={(files) => {
                setLive(false);
                return ask(files);
              }}
              live={live}
              onLive={setLive}
            />
            {current && tried.length > 1 && (
              <Button onClick={() => show(undefined)}>All {tried.length.toLocaleString("en")}</Button>
            )}
            {tried.length > 1 && !going && (
              <Button kind="bare" onClick={clear}>
                Clear
              </Button>
            )}
            {going && (
              <div className="flex items-center gap-2" role="status">
                <span className="whitespace-nowrap">
                  {going.done.toLocaleString("en")} of {going.total.toLocaleString("en")}
                </span>
                <div className="w-20">
                  <ProgressBar label="Asking the model" done={going.done} total={going.total} />
                </div>
                <Button onClick={stop}>Stop</Button>
              </div>
            )}
            {model.temperature !== null && (
              <label
                className="ml-auto flex cursor-pointer items-center gap-1.5"
                title={`Its logits divided by its temperature, ${model.temperature.toFixed(2)}`}
              >
                <input
                  type="checkbox"
                  checked={calibrated}
                  onChange={(event) => setCalibrated(event.target.checked)}
                  className="accent-choice"
                />
                calibrated
              </label>
            )}
            <Threshold
              value={own ?? (set ? oneThreshold(model) : 0.5)}
              onChange={setOwn}
              onReset={own !== undefined && set ? () => setOwn(undefined) : undefined}
            />
          </div>
          {live ? (
            <Live
              model={model}
              asked={askedOf(model)}
              onKeep={(file) => void ask([{ path: `camera/${file.name}`, file }])}
              onClose={() => setLive(false)}
            />
          ) : current ? (
            <TriedPicture
              tried={current}
              model={model}
              all={tried}
              second={second}
              onSecond={setSecond}
              askedOf={askedOf}
            />
          ) : tried.length > 1 ? (
            <TriedMany tried={tried} model={model} asked={askedOf(model)} onShow={show} />
          ) : (
            <Empty title="Drop pictures here">
              <p>
                Files, a folder or a zip; or paste a picture or its web address. Run {run.number} says what it
                takes them for, with the runner-up and every class's probability. They are not stored.
              </p>
            </Empty>
          )}
          {tried.length > 0 && (
            <TriedList
              tried={tried}
              shown={live ? undefined : current?.key}
              onShow={(key) => {
                setLive(false);
                show(key);
              }}
            />
          )}
        </TryArea>
      )}
      <HandOver run={run} model={model} />
    </div>
  );
}

const VIEW_TITLES = {
  try: "Try pictures",
  history: "History",
  offers: "Models on offer",
  served: "Served",
} as const;

type View = keyof typeof VIEW_TITLES;

function viewOf(text: string | null): View {
  return text === "offers" || text === "history" || text === "served" ? text : "try";
}

function Views({ view, onChange }: { view: View; onChange: (view: View) => void }) {
  return (
    <Choice
      label="Shown"
      hideLabel
      value={view}
      options={[
        { value: "try", label: "Try", title: "Ask the model about pictures" },
        { value: "history", label: "History", title: "What was tried before, if it is kept" },
        { value: "offers", label: "On offer", title: "The models that others are to answer by" },
        { value: "served", label: "Served", title: "How others ask the models in use, and who may" },
      ]}
      onChange={onChange}
    />
  );
}

function TryArea({
  onFiles,
  children,
}: {
  onFiles: (files: readonly Picked[]) => Promise<void>;
  children: ReactNode;
}) {
  const { fail } = useNotices();
  const { over, handlers } = useDrop((event) => {
    fromDrop(event.dataTransfer).then(onFiles).catch(fail);
  });
  return (
    <section
      aria-label="Try pictures"
      className={`flex min-w-0 flex-1 flex-col ${over ? "bg-choice-wash" : ""}`}
      {...handlers}
    >
      {children}
    </section>
  );
}

interface ThresholdProps {
  /** Undefined where each class has its own. */
  value: number | undefined;
  onChange: (value: number) => void;
  onReset: (() => void) | undefined;
}

function Threshold({ value, onChange, onReset }: ThresholdProps) {
  return (
    <label className="flex items-center gap-2 not-[label+&]:ml-auto">
      {onReset && (
        <Button kind="bare" title="The threshold that was set in Review" onClick={onReset}>
          As set
        </Button>
      )}
      <span className="text-quiet">unsure below</span>
      <input
        type="range"
        min={0}
        max={0.99}
        step={0.01}
        value={value ?? 0.5}
        onChange={(event) => onChange(Number(event.target.value))}
        className="w-20 accent-choice"
      />
      <span className="w-16 font-mono whitespace-nowrap">{value?.toFixed(2) ?? "by class"}</span>
    </label>
  );
}

function TriedList(props: {
  tried: readonly Tried[];
  shown: string | undefined;
  onShow: (key: string) => void;
}) {
  return (
    <ul
      aria-label="Tried pictures"
      className="flex h-[104px] shrink-0 gap-2 overflow-x-auto border-t border-hairline p-2"
    >
      {props.tried.map((entry) => (
        <li key={entry.key} className="shrink-0">
          <button
            type="button"
            onClick={() => props.onShow(entry.key)}
            aria-pressed={entry.key === props.shown}
            title={entry.answer.name}
            className={`cursor-pointer ${entry.key === props.shown ? "outline-3 outline-choice" : ""}`}
          >
            <TriedTile tried={entry} />
          </button>
        </li>
      ))}
    </ul>
  );
}

function TriedTile({ tried }: { tried: Tried }) {
  return tried.answer.error ? (
    <span className="flex h-[84px] w-[84px] items-center justify-center bg-wrong-wash text-sm text-wrong">
      unreadable
    </span>
  ) : (
    <img
      src={tried.url}
      alt={tried.answer.name}
      loading="lazy"
      className="h-[84px] w-[84px] bg-sunken object-contain"
    />
  );
}
