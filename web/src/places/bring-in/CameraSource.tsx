/** Shots from the computer's camera, by a key or at an interval; they go the way of every other source. */
import { type RefObject, useCallback, useEffect, useRef, useState } from "react";
import { usePlace } from "../../app/context";
import { plural } from "../../domain/words";
import { Button } from "../../parts/Button";
import { shotOf, useCamera } from "../../parts/camera";
import { NumberField } from "../../parts/NumberField";
import type { ChosenFile } from "./bringIn";

interface Shot extends ChosenFile {
  readonly url: string;
}

/** A folder of the class for the reading plan, whatever signs its name has. */
function shotPath(className: string, number: number): string {
  const name = `shot-${String(number).padStart(4, "0")}.jpg`;
  const folder = className.trim().replace(/[/\\]/g, "_");
  return `camera/${folder || "unlabelled"}/${name}`;
}

/** Shots of what `video` shows, into the folder of a class. */
function useShots(video: RefObject<HTMLVideoElement | null>, className: string) {
  const [shots, setShots] = useState<readonly Shot[]>([]);
  const taken = useRef(0);
  // What the timer, which outlives a drawing, is to use.
  const label = useRef(className);
  label.current = className;
  const shoot = useCallback(() => {
    const element = video.current;
    if (!element?.videoWidth) return;
    const path = shotPath(label.current, ++taken.current);
    void shotOf(element, "shot.jpg", "image/jpeg").then((file) =>
      setShots((now) => [...now, { path, file, url: URL.createObjectURL(file) }]),
    );
  }, [video]);
  const throwAway = (shot: Shot) => setShots((now) => now.filter((entry) => entry !== shot));
  return { shots, shoot, throwAway };
}

/** Every so many seconds while it runs, and by the space bar. */
function useTriggers(shoot: () => void, running: boolean, seconds: number): void {
  useEffect(() => {
    if (!running) return;
    const timer = window.setInterval(shoot, seconds * 1000);
    return () => window.clearInterval(timer);
  }, [running, seconds, shoot]);

  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const typing =
        event.target instanceof HTMLElement && /^(INPUT|BUTTON|SELECT)$/.test(event.target.tagName);
      if (event.key !== " " || typing) return;
      event.preventDefault();
      shoot();
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [shoot]);
}

export function CameraSource({ busy, onShots }: { busy: boolean; onShots: (files: ChosenFile[]) => void }) {
  const video = useRef<HTMLVideoElement>(null);
  const [ready, setReady] = useState(false);
  const [className, setClassName] = useState("");
  const [seconds, setSeconds] = useState(2);
  const [running, setRunning] = useState(false);
  const wrong = useCamera(video);
  const { shots, shoot, throwAway } = useShots(video, className);
  useTriggers(shoot, running, seconds);

  if (wrong) {
    return (
      <p role="alert" className="border-b border-hairline py-3 pl-[186px] text-wrong">
        {wrong}
      </p>
    );
  }
  return (
    <div className="grid grid-cols-[400px_1fr] gap-4 border-b border-hairline py-3">
      <Viewfinder video={video} ready={ready} onReady={() => setReady(true)} />
      <div className="flex min-w-0 flex-col gap-2">
        <ClassField value={className} onChange={setClassName} />
        <Triggers
          ready={ready}
          running={running}
          seconds={seconds}
          onShoot={shoot}
          onRunning={setRunning}
          onSeconds={setSeconds}
        />
        <ShotStrip shots={shots} onThrowAway={throwAway} />
        <div>
          <Button
            kind="main"
            disabled={busy || !shots.length}
            onClick={() => {
              setRunning(false);
              onShots([...shots]);
            }}
          >
            Read {plural(shots.length, "shot")}
          </Button>
        </div>
      </div>
    </div>
  );
}

interface ViewfinderProps {
  video: RefObject<HTMLVideoElement | null>;
  ready: boolean;
  onReady: () => void;
}

function Viewfinder({ video, ready, onReady }: ViewfinderProps) {
  return (
    <div>
      <video
        ref={video}
        autoPlay
        muted
        playsInline
        aria-label="What the camera sees"
        className="h-[300px] w-[400px] bg-sunken object-contain"
        onLoadedData={onReady}
      />
      {!ready && (
        <p className="text-quiet">Waiting for the camera; the browser may ask whether it is allowed.</p>
      )}
    </div>
  );
}

function ClassField({ value, onChange }: { value: string; onChange: (name: string) => void }) {
  const { classes } = usePlace();
  return (
    <label className="flex items-center gap-2">
      <span className="w-24">Class</span>
      <input
        list="camera-classes"
        value={value}
        placeholder="none"
        onChange={(event) => onChange(event.target.value)}
        className="rounded-control w-52 border border-edge bg-surface px-2 py-1"
      />
      <datalist id="camera-classes">
        {classes.map((entry) => (
          <option key={entry.id} value={entry.name} />
        ))}
      </datalist>
    </label>
  );
}

interface TriggersProps {
  ready: boolean;
  running: boolean;
  seconds: number;
  onShoot: () => void;
  onRunning: (running: boolean) => void;
  onSeconds: (seconds: number) => void;
}

function Triggers({ ready, running, seconds, ...props }: TriggersProps) {
  return (
    <>
      <div className="flex items-center gap-2">
        <Button disabled={!ready} onClick={props.onShoot}>
          Take a shot <kbd className="font-mono text-xs text-quiet">Space</kbd>
        </Button>
        <Button disabled={!ready} onClick={() => props.onRunning(!running)}>
          {running ? "Stop the timer" : "Start the timer"}
        </Button>
      </div>
      <div className="w-64">
        <NumberField
          label="Seconds between shots"
          help="of the timer; 1 to 3600"
          guide="bringing-in#camera"
          value={seconds}
          min={1}
          max={3600}
          onChange={props.onSeconds}
        />
      </div>
    </>
  );
}

function ShotStrip({ shots, onThrowAway }: { shots: readonly Shot[]; onThrowAway: (shot: Shot) => void }) {
  return (
    <div className="flex min-h-14 flex-wrap content-start gap-1 overflow-y-auto" data-testid="shots">
      {shots.slice(-40).map((shot) => (
        <button
          key={shot.url}
          type="button"
          title={`${shot.path}: click to throw it away`}
          className="cursor-pointer"
          onClick={() => onThrowAway(shot)}
        >
          <img src={shot.url} alt={shot.path} className="h-12 w-16 object-cover" />
        </button>
      ))}
    </div>
  );
}
