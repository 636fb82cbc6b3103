/** Shots from the computer's camera, by a key or at an interval; they go the way of every other source. */
import { useCallback, useEffect, useRef, useState } from "react";
import { usePlace } from "../../app/context";
import { plural } from "../../domain/words";
import { Button } from "../../parts/Button";
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

export function CameraSource({ busy, onShots }: { busy: boolean; onShots: (files: ChosenFile[]) => void }) {
  const { classes } = usePlace();
  const video = useRef<HTMLVideoElement>(null);
  const [wrong, setWrong] = useState<string>();
  const [ready, setReady] = useState(false);
  const [shots, setShots] = useState<readonly Shot[]>([]);
  const [className, setClassName] = useState("");
  const [seconds, setSeconds] = useState(2);
  const [running, setRunning] = useState(false);
  const taken = useRef(0);
  // What the timer, which outlives a drawing, is to use.
  const label = useRef(className);
  label.current = className;

  useEffect(() => {
    let stream: MediaStream | undefined;
    let gone = false;
    const open = async () => {
      try {
        stream = await navigator.mediaDevices.getUserMedia({ video: true });
        if (gone) for (const track of stream.getTracks()) track.stop();
        else if (video.current) video.current.srcObject = stream;
      } catch (error) {
        const name = error instanceof DOMException ? error.name : "";
        setWrong(
          name === "NotAllowedError"
            ? "The browser may not use the camera. Allow it in the browser's settings for this page, then open the camera again."
            : name === "NotFoundError"
              ? "This computer has no camera. Connect one, then open the camera again."
              : `The camera cannot be opened (${String(error)}). Close other programs that use it, then try again.`,
        );
      }
    };
    void open();
    return () => {
      gone = true;
      for (const track of stream?.getTracks() ?? []) track.stop();
    };
  }, []);

  const shoot = useCallback(() => {
    const element = video.current;
    if (!element?.videoWidth) return;
    const canvas = document.createElement("canvas");
    canvas.width = element.videoWidth;
    canvas.height = element.videoHeight;
    canvas.getContext("2d")?.drawImage(element, 0, 0);
    const path = shotPath(label.current, ++taken.current);
    canvas.toBlob(
      (file) => file && setShots((now) => [...now, { path, file, url: URL.createObjectURL(file) }]),
      "image/jpeg",
      0.95,
    );
  }, []);

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

  if (wrong) {
    return (
      <p role="alert" className="border-b border-hairline py-3 pl-[186px] text-wrong">
        {wrong}
      </p>
    );
  }
  return (
    <div className="grid grid-cols-[400px_1fr] gap-4 border-b border-hairline py-3">
      <div>
        <video
          ref={video}
          autoPlay
          muted
          playsInline
          aria-label="What the camera sees"
          className="h-[300px] w-[400px] bg-sunken object-contain"
          onLoadedData={() => setReady(true)}
        />
        {!ready && (
          <p className="text-quiet">Waiting for the camera; the browser may ask whether it is allowed.</p>
        )}
      </div>
      <div className="flex min-w-0 flex-col gap-2">
        <label className="flex items-center gap-2">
          <span className="w-24">Class</span>
          <input
            list="camera-classes"
            value={className}
            placeholder="none"
            onChange={(event) => setClassName(event.target.value)}
            className="rounded-control w-52 border border-edge bg-surface px-2 py-1"
          />
          <datalist id="camera-classes">
            {classes.map((entry) => (
              <option key={entry.id} value={entry.name} />
            ))}
          </datalist>
        </label>
        <div className="flex items-center gap-2">
          <Button disabled={!ready} onClick={shoot}>
            Take a shot <kbd className="font-mono text-xs text-quiet">Space</kbd>
          </Button>
          <Button disabled={!ready} onClick={() => setRunning(!running)}>
            {running ? "Stop the timer" : "Start the timer"}
          </Button>
        </div>
        <div className="w-64">
          <NumberField
            label="Seconds between shots"
            help="of the timer; 1 to 3600"
            value={seconds}
            min={1}
            max={3600}
            onChange={setSeconds}
          />
        </div>
        <div className="flex min-h-14 flex-wrap content-start gap-1 overflow-y-auto" data-testid="shots">
          {shots.slice(-40).map((shot) => (
            <button
              key={shot.url}
              type="button"
              title={`${shot.path}: click to throw it away`}
              className="cursor-pointer"
              onClick={() => setShots((now) => now.filter((entry) => entry !== shot))}
            >
              <img src={shot.url} alt={shot.path} className="h-12 w-16 object-cover" />
            </button>
          ))}
        </div>
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
