/** The end of the Run sheet's band: the start, what speaks against it, and what the run is called. */
import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import type { Split } from "../../api/client";
import { useSplitChecks } from "../../api/ingredientQueries";
import { steps } from "../../domain/recipe";
import { type Doubt, type SettingValue, START, withSetting } from "../../domain/trainingSettings";
import { bytes, duration, plural } from "../../domain/words";
import { Button } from "../../parts/Button";
import { TextField } from "../../parts/TextField";
import type { RunSheetProps } from "./RunSheet";
import type { ShownNetwork } from "./useNetworkShown";
import type { Training } from "./useTraining";

export interface RunTitle {
  readonly name: string;
  readonly note: string;
}

interface Props extends RunSheetProps {
  /** How many pictures an epoch shows. */
  shown: number;
  /** Expected of all epochs, if it can be told. */
  seconds: number | null;
  network: ShownNetwork | undefined;
  onSetting: (name: string, value: SettingValue) => void;
}

export function StartCell(props: Props) {
  const { project, split, recipe, training, shown, seconds, onDivide } = props;
  const prepared = props.start.plan?.preprocessing;
  const mend = (doubts: readonly Doubt[]) =>
    props.onRecipe({
      ...recipe,
      settings: doubts
        .filter((doubt) => doubt.name !== START)
        .reduce((now, { name, usual }) => withSetting(props.table, now, name, usual), recipe.settings),
      preprocessing:
        prepared && doubts.some((doubt) => doubt.name === START) ? prepared : recipe.preprocessing,
    });
  return (
    <div className="min-w-0 px-3 py-2">
      {training.doubts.length ? (
        <Doubts training={training} onMend={mend} />
      ) : (
        <Button
          kind="main"
          className="w-full justify-center py-1 text-lg"
          disabled={training.busy || !project.pictures}
          onClick={training.start}
        >
          Train
        </Button>
      )}
      <p className="mt-1 flex flex-wrap justify-between gap-x-2 text-sm text-quiet">
        <span className="whitespace-nowrap">
          {seconds === null ? (
            <>
              {plural(steps(shown, recipe.settings), "step")} of {shown.toLocaleString("en")} pictures
            </>
          ) : (
            <span
              title={`${plural(steps(shown, recipe.settings), "step")}, expected on this machine. Before the first epoch the pictures are brought to their size, which is kept for later runs, and measured.`}
            >
              about <b>{duration(seconds)}</b> for {shown.toLocaleString("en")} pictures
            </span>
          )}
        </span>
        <Titled title={props.title} onTitle={props.onTitle} />
        <button
          type="button"
          disabled={!project.pictures}
          onClick={props.onPlan}
          title="Search for settings, or find out how sure a result is"
          className="min-h-6 cursor-pointer text-choice hover:underline disabled:cursor-default disabled:opacity-45"
        >
          plan several
        </button>
      </p>
      {props.network && !props.network.wrong && (
        <Memory network={props.network} batch={recipe.settings.batch_size} onSetting={props.onSetting} />
      )}
      {split && <Warnings projectId={project.id} split={split} onDivide={onDivide} />}
    </div>
  );
}

/** What a step holds, beside what is free; too little is said here, with the batch that fits. */
function Memory(props: {
  network: ShownNetwork;
  batch: number;
  onSetting: (name: string, value: SettingValue) => void;
}) {
  const { memory_bytes: needed, memory_free_bytes: free, batch_that_fits: fits, threads } = props.network;
  if (needed <= free)
    return (
      <p
        className="text-sm text-quiet"
        title="What a step of the training holds, and what is free on this machine"
      >
        {bytes(needed)} of memory, {bytes(free)} free; {plural(threads, "processor")}
      </p>
    );
  return (
    <p role="alert" className="text-sm text-wrong" data-testid="memory">
      A batch of {props.batch} needs {bytes(needed)} of memory, and {bytes(free)} are free.{" "}
      {fits > 0 ? (
        <button
          type="button"
          onClick={() => props.onSetting("batch_size", fits)}
          className="cursor-pointer underline"
        >
          Use {fits}
        </button>
      ) : (
        "Choose a smaller network or input size."
      )}
    </p>
  );
}

/** What the next run is called, if anything. */
function Titled({ title, onTitle }: { title: RunTitle; onTitle: (title: RunTitle) => void }) {
  return (
    <Popover className="relative">
      <PopoverButton className="min-h-6 max-w-[150px] cursor-pointer truncate text-choice hover:underline">
        {title.name || title.note || "name it"}
      </PopoverButton>
      <PopoverPanel className="shadow-float absolute top-full right-0 z-30 w-[320px] border border-hairline bg-surface p-4 text-base text-ink">
        <TitleFields title={title} onTitle={onTitle} />
      </PopoverPanel>
    </Popover>
  );
}

export function TitleFields({ title, onTitle }: { title: RunTitle; onTitle: (title: RunTitle) => void }) {
  return (
    <>
      <TextField
        autoFocus
        label="Name of the run, besides its number"
        value={title.name}
        most={80}
        onChange={(name) => onTitle({ ...title, name })}
      />
      <TextField
        label="Note: what it is to show"
        value={title.note}
        most={5000}
        lines={3}
        onChange={(note) => onTitle({ ...title, note })}
      />
    </>
  );
}

/** What is far from usual is asked before the start, with the way back beside it. */
function Doubts(props: { training: Training; onMend: (doubts: readonly Doubt[]) => void }) {
  const { doubts, insist, withdraw } = props.training;
  return (
    <div role="alertdialog" aria-label="Before the start" data-testid="doubts">
      {[...new Set(doubts.map((doubt) => doubt.words))].map((words) => (
        <p key={words} className="mb-1 text-wrong">
          {words}
        </p>
      ))}
      <div className="flex gap-2">
        <Button
          kind="main"
          onClick={() => {
            props.onMend(doubts);
            withdraw();
          }}
        >
          Use {[...new Set(doubts.map((doubt) => doubt.called ?? doubt.usual))].join(", ")}
        </Button>
        <Button onClick={insist}>Train all the same</Button>
      </div>
    </div>
  );
}

/** What the split's checks found, said once more where it matters. */
function Warnings(props: { projectId: number; split: Split; onDivide: () => void }) {
  const { data: checks } = useSplitChecks(props.projectId, props.split.id);
  const words = [
    ...props.split.warnings,
    ...(checks?.copy_groups ? [`${plural(checks.copy_groups, "group")} of copies in different sets.`] : []),
    ...(checks?.small ?? []),
  ];
  if (!words.length) return null;
  return (
    <button
      type="button"
      onClick={props.onDivide}
      title="Open the split"
      className="mt-0.5 block w-full cursor-pointer text-left text-sm text-wrong"
      data-testid="split-warnings"
    >
      {words.slice(0, 2).map((line) => (
        <span key={line} className="block truncate" title={line}>
          {line}
        </span>
      ))}
      {words.length > 2 && <span>and {words.length - 2} more</span>}
    </button>
  );
}
