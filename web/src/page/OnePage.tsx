/** Pictures in, answers out: one large, many as a list; fit for a finger. */
import { useState } from "react";
import { answersAsCsv, spoken } from "../domain/tried";
import { plural, probability } from "../domain/words";
import type { Engine } from "../engine/engine";
import { Button } from "../parts/Button";
import { ClassSign } from "../parts/ClassSign";
import { ChoosePictures, PictureArea, TOUCH } from "../parts/PictureArea";
import { ProgressBar } from "../parts/ProgressBar";
import { askedOf } from "./asked";
import { Live } from "./Live";
import { Said } from "./Said";
import { type Asking, type Tried, useAsking } from "./useAsking";

export function OnePage({ engine }: { engine: Engine }) {
  const asking = useAsking(engine);
  const [live, setLive] = useState(false);
  const { model } = engine;
  return (
    <PictureArea onFiles={asking.ask}>
      <header className="border-b border-hairline bg-surface px-4 py-3">
        <h1 className="text-xl font-semibold">{model.name}</h1>
        <p className="text-quiet">
          Tells {plural(model.classes.length, "class", "classes")} apart. Pictures stay on this device.
        </p>
      </header>
      <main className="mx-auto flex max-w-[880px] flex-col gap-4 p-4">
        <div className="flex flex-wrap items-center gap-2">
          <ChoosePictures onFiles={asking.ask} />
          <Button className={TOUCH} aria-pressed={live} onClick={() => setLive(!live)}>
            {live ? "Close the camera" : "Camera"}
          </Button>
          {asking.tried.length > 1 && (
            <Button className={TOUCH} onClick={() => saveTable(asking.tried, engine)}>
              Table as CSV
            </Button>
          )}
          {asking.tried.length > 0 && !asking.going && (
            <Button kind="bare" className={TOUCH} onClick={asking.clear}>
              Clear
            </Button>
          )}
        </div>
        {live && <Live engine={engine} onKeep={(file) => asking.ask([file])} />}
        <Progress asking={asking} />
        <Shown asking={asking} engine={engine} live={live} />
        <Others asking={asking} engine={engine} />
        <About engine={engine} />
      </main>
    </PictureArea>
  );
}

function Progress({ asking: { going, stop } }: { asking: Asking }) {
  if (!going) return null;
  return (
    <div className="flex items-center gap-3" role="status">
      <span className="whitespace-nowrap">
        {going.done.toLocaleString("en")} of {going.total.toLocaleString("en")}
      </span>
      <ProgressBar label="Answering" done={going.done} total={going.total} />
      <Button className={TOUCH} onClick={stop}>
        Stop
      </Button>
    </div>
  );
}

function Shown({ asking, engine, live }: { asking: Asking; engine: Engine; live: boolean }) {
  const { current } = asking;
  if (!current) {
    if (live || asking.going) return null;
    return (
      <p className="py-10 text-center text-quiet">
        Choose pictures, drop or paste them here, or open the camera.
      </p>
    );
  }
  if (current.answer.error) {
    return (
      <p role="alert" className="text-wrong">
        <b>{current.path} cannot be read.</b> {current.answer.error}
      </p>
    );
  }
  return (
    <section aria-label={current.path} className="flex flex-wrap items-start gap-6">
      <img
        src={current.url}
        alt={current.path}
        className="max-h-[320px] w-full max-w-[320px] bg-sunken object-contain"
      />
      <div className="min-w-[260px] flex-1">
        <Said engine={engine} answer={current.answer} />
      </div>
    </section>
  );
}

function Others({ asking, engine }: { asking: Asking; engine: Engine }) {
  const { tried, current, show } = asking;
  if (tried.length < 2) return null;
  return (
    <ul aria-label="All pictures" className="flex flex-col">
      {tried.map((one) => (
        <li key={one.key} className="border-t border-hairline">
          <button
            type="button"
            aria-pressed={one.key === current?.key}
            onClick={() => show(one.key)}
            className={`flex w-full cursor-pointer items-center gap-3 py-1.5 text-left ${one.key === current?.key ? "bg-choice-wash" : "hover:bg-sunken"}`}
          >
            <Line one={one} engine={engine} />
          </button>
        </li>
      ))}
    </ul>
  );
}

function Line({ one, engine }: { one: Tried; engine: Engine }) {
  const { model } = engine;
  if (one.answer.error) {
    return <span className="py-3 text-wrong">{one.path} cannot be read</span>;
  }
  const { order, unsure } = spoken(one.answer, askedOf(engine.model));
  const [first] = order;
  return (
    <>
      <img src={one.url} alt="" loading="lazy" className="size-14 bg-sunken object-contain" />
      <ClassSign place={model.colours[first?.place ?? 0]} sign={model.signs[first?.place ?? 0] ?? ""} />
      <span className={`min-w-0 flex-1 ${unsure ? "text-wrong" : ""}`}>
        <b>
          {unsure && "unsure: most like "}
          {first?.name}
        </b>
        <span className="block truncate text-sm text-quiet">{one.path}</span>
      </span>
      <span className="pr-2 font-mono">{probability(first?.p ?? 0)}</span>
    </>
  );
}

function About({ engine: { model } }: { engine: Engine }) {
  return (
    <p className="border-t border-hairline pt-3 text-sm text-quiet">
      {model.about} Weights <span className="font-mono">{model.digest.slice(0, 10)}</span>. PNG files are
      answered as the application answers them; of other kinds this browser's decoder may give slightly other
      pixels.
    </p>
  );
}

function saveTable(tried: readonly Tried[], engine: Engine): void {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(
    new Blob([answersAsCsv(tried, askedOf(engine.model))], { type: "text/csv" }),
  );
  link.download = "answers.csv";
  link.click();
  URL.revokeObjectURL(link.href);
}
