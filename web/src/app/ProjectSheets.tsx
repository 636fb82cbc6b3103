/** What is asked about a project of the list: what it is called and begins with, and whether it may go for good. */
import { useState } from "react";
import type { Project, SampleSize } from "../api/client";
import { plural } from "../domain/words";
import { Button } from "../parts/Button";
import { Choice } from "../parts/Choice";
import { Sheet } from "../parts/Sheet";
import { SheetForm } from "../parts/SheetForm";
import { TextField } from "../parts/TextField";
import type { ProjectActions } from "./useProjects";

export type Asked =
  | { kind: "new" }
  | { kind: "describe" | "duplicate" | "remove"; project: Project }
  | undefined;

export function ProjectSheets(props: { asked: Asked; actions: ProjectActions; onClose: () => void }) {
  const { asked, actions, onClose } = props;
  switch (asked?.kind) {
    case "new":
      return <NewSheet onClose={onClose} onMake={actions.create} />;
    case "describe":
      return <DescribeSheet project={asked.project} onClose={onClose} onKeep={actions.describe} />;
    case "duplicate":
      return <DuplicateSheet project={asked.project} onClose={onClose} onMake={actions.duplicate} />;
    case "remove":
      return (
        <RemoveSheet
          project={asked.project}
          onClose={onClose}
          onRemove={() => actions.removeForGood(asked.project)}
        />
      );
    default:
      return null;
  }
}

interface Described {
  name: string;
  description: string;
}

function DescriptionFields(props: { value: Described; onChange: (value: Described) => void }) {
  const { value, onChange } = props;
  return (
    <>
      <TextField
        autoFocus
        label="Name, for example what the pictures show"
        value={value.name}
        most={200}
        onChange={(name) => onChange({ ...value, name })}
      />
      <TextField
        label="Description: where they come from, what the classes mean"
        value={value.description}
        most={5000}
        lines={3}
        onChange={(description) => onChange({ ...value, description })}
      />
    </>
  );
}

const SIZES: readonly { value: number; label: string }[] = [
  { value: 350, label: "350" },
  { value: 1_400, label: "1,400" },
  { value: 5_000, label: "5,000" },
  { value: 20_000, label: "20,000" },
];

type Start = "empty" | "sample";

const STARTS: readonly { value: Start; label: string }[] = [
  { value: "empty", label: "empty" },
  { value: "sample", label: "with made-up snow crystals" },
];

function NewSheet(props: {
  onClose: () => void;
  onMake: (value: Described, sample: SampleSize | null) => Promise<void>;
}) {
  const [value, setValue] = useState<Described>({ name: "", description: "" });
  const [start, setStart] = useState<Start>("empty");
  const [sample, setSample] = useState<SampleSize>({ pictures: 1_400, with_run: true });
  return (
    <SheetForm
      title="New project"
      action="Make project"
      ready={!!value.name.trim()}
      onClose={props.onClose}
      onSubmit={() => props.onMake(value, start === "sample" ? sample : null)}
    >
      <DescriptionFields value={value} onChange={setValue} />
      <Choice<Start> label="Begins" value={start} options={STARTS} onChange={setStart} />
      {start === "sample" && (
        <div className="mt-3">
          <Choice<number>
            label="Pictures"
            value={sample.pictures}
            options={SIZES}
            onChange={(pictures) => setSample({ ...sample, pictures })}
          />
          <label className="mt-2 flex cursor-pointer items-baseline gap-2">
            <input
              type="checkbox"
              checked={sample.with_run}
              onChange={(event) => setSample({ ...sample, with_run: event.target.checked })}
              className="accent-choice"
            />
            Train a first run on them
          </label>
          <p className="mt-1 text-sm text-quiet">
            Seven classes, drawn on this machine, with wrong labels, copies and blurred pictures among them,
            as a collection has.
          </p>
        </div>
      )}
    </SheetForm>
  );
}

interface OfProject {
  project: Project;
  onClose: () => void;
}

function DescribeSheet(props: OfProject & { onKeep: (project: Project, value: Described) => Promise<void> }) {
  const { project, onClose, onKeep } = props;
  const [value, setValue] = useState<Described>({ name: project.name, description: project.description });
  return (
    <SheetForm
      title={project.name}
      action="Keep"
      ready={!!value.name.trim()}
      onClose={onClose}
      onSubmit={() => onKeep(project, value)}
    >
      <DescriptionFields value={value} onChange={setValue} />
    </SheetForm>
  );
}

function DuplicateSheet(
  props: OfProject & { onMake: (project: Project, name: string, withRuns: boolean) => Promise<void> },
) {
  const { project, onClose, onMake } = props;
  const [name, setName] = useState(`${project.name}, second`.slice(0, 200));
  const [withRuns, setWithRuns] = useState(true);
  return (
    <SheetForm
      title={`Duplicate ${project.name}`}
      action="Duplicate"
      ready={!!name.trim()}
      onClose={onClose}
      onSubmit={() => onMake(project, name, withRuns)}
    >
      <TextField autoFocus label="Name of the duplicate" value={name} most={200} onChange={setName} />
      {project.runs > 0 && (
        <label className="flex cursor-pointer items-baseline gap-2">
          <input
            type="checkbox"
            checked={withRuns}
            onChange={(event) => setWithRuns(event.target.checked)}
            className="accent-choice"
          />
          With its {plural(project.runs, "run")}, models and packs
        </label>
      )}
      <p className="mt-1 text-sm text-quiet">
        {plural(project.pictures, "picture")}, labels, history, splits and named ingredients go along.
        Pictures are shared, so they take no further room.
      </p>
    </SheetForm>
  );
}

function RemoveSheet({ project, onClose, onRemove }: OfProject & { onRemove: () => void }) {
  return (
    <Sheet title={`Remove ${project.name}`} open onClose={onClose}>
      <p className="mb-4">
        {plural(project.pictures, "picture")}, {plural(project.runs, "run")} and everything else of this
        project are removed for good. This cannot be taken back.
      </p>
      <div className="flex justify-end gap-2">
        <Button onClick={onClose}>Keep it</Button>
        <Button
          kind="danger"
          onClick={() => {
            onClose();
            onRemove();
          }}
        >
          Remove for good
        </Button>
      </div>
    </Sheet>
  );
}
