/** Whatever is laid over the field: sheets that ask for a name, a class, a note, how to divide and what to take out. */
import type { ClassOf, Project, Run, SetName, Split } from "../../api/client";
import type { FieldQuery } from "../../api/queries";
import { plural } from "../../domain/words";
import { LabelSheet } from "../../parts/LabelSheet";
import { NameSheet } from "../../parts/NameSheet";
import { useNotices } from "../../parts/Notices";
import { ClassSheet } from "../mending/ClassSheet";
import { HistorySheet } from "../mending/HistorySheet";
import { NoteSheet } from "../mending/NoteSheet";
import type { Mending } from "../mending/useMending";
import { DivideSheet } from "../sets/DivideSheet";
import { SetSheet } from "../sets/SetSheet";
import { TakeOutSheet } from "../take-out/TakeOutSheet";

export type Laid =
  | { kind: "take out" }
  | { kind: "divide" }
  | { kind: "new class" }
  | { kind: "split off" }
  | { kind: "note" }
  | { kind: "class"; classId: number }
  | { kind: "merge class"; classId: number }
  | { kind: "history"; only: boolean }
  | { kind: "label" }
  | { kind: "set" }
  | undefined;

interface Props {
  laid: Laid;
  project: Project;
  classes: readonly ClassOf[];
  splits: readonly Split[];
  split: Split | undefined;
  run: Run | undefined;
  asked: FieldQuery;
  /** Pictures that the Sift lets through. */
  total: number;
  chosen: readonly number[];
  /** What a label is for: the picture in the Close-up, else what is chosen. */
  mended: readonly number[];
  mending: Mending;
  onLay: (next: Laid) => void;
  onLabel: (pictureIds: readonly number[], classId: number | null) => void;
  onSet: (pictureIds: readonly number[], set: SetName | null) => void;
  onNote: (pictureIds: readonly number[], note: string) => void;
  onAddress: (next: Record<string, string | undefined>) => void;
}

export function DeskSheets(props: Props) {
  return (
    <>
      <SheetOfAll {...props} />
      <SheetOfPictures {...props} />
      <SheetOfClass {...props} />
    </>
  );
}

/** What is asked about all that the field shows. */
function SheetOfAll(props: Props) {
  const { laid, project, split, asked, total, chosen, mending, onLay, onAddress } = props;
  const close = () => onLay(undefined);
  if (laid?.kind === "take out")
    return (
      <TakeOutSheet
        projectId={project.id}
        pictures={project.pictures}
        // What a look at the test set lets through besides is taken out by choosing it.
        sifted={asked.sift && !asked.look ? { ...asked, count: total } : undefined}
        chosen={chosen}
        split={split}
        run={props.run}
        onClose={close}
      />
    );
  if (laid?.kind === "divide")
    return (
      <DivideSheet
        projectId={project.id}
        classes={props.classes}
        splits={props.splits}
        split={split}
        onClose={close}
        onDivided={(made) => onAddress({ split: String(made.id) })}
      />
    );
  if (laid?.kind === "history")
    return (
      <HistorySheet
        projectId={project.id}
        classes={props.classes}
        picture={chosen.length === 1 ? { id: chosen[0] as number, only: laid.only } : undefined}
        onOnly={(only) => onLay({ kind: "history", only })}
        onShow={(action) => {
          onAddress({ sift: `action:${action}` });
          close();
        }}
        onUndo={() => void mending.undo()}
        onRedo={() => void mending.redo()}
        onClose={close}
      />
    );
  return null;
}

/** What is asked about the pictures that are chosen. */
function SheetOfPictures(props: Props) {
  const { laid, classes, split, chosen, mended, mending, onLabel, onSet } = props;
  const { fail } = useNotices();
  const onClose = () => props.onLay(undefined);
  switch (laid?.kind) {
    case "label":
      return (
        <LabelSheet
          title={`Label ${plural(mended.length, "picture")}`}
          classes={classes}
          onClose={onClose}
          onChoose={(classId) => onLabel(mended, classId)}
          onNew={(name) => void mending.splitOff(name, mended).catch(fail)}
        />
      );
    case "set":
      return (
        <SetSheet count={mended.length} split={split} onClose={onClose} onSet={(set) => onSet(mended, set)} />
      );
    case "note":
      return (
        <NoteSheet
          title={`Note on ${plural(chosen.length, "picture")}`}
          onClose={onClose}
          onNote={(note) => props.onNote(chosen, note)}
        />
      );
    case "split off":
      return (
        <NameSheet
          title={`Split off ${plural(chosen.length, "picture")} as a new class`}
          label="Name"
          action="Split off"
          onClose={onClose}
          onName={(name) => mending.splitOff(name, chosen)}
        />
      );
    default:
      return null;
  }
}

/** What is asked about one class. */
function SheetOfClass({ laid, classes, mending, onLay }: Props) {
  const onClose = () => onLay(undefined);
  if (laid?.kind === "new class")
    return (
      <NameSheet
        title="New class"
        label="Name"
        action="Make class"
        onClose={onClose}
        onName={mending.newClass}
      />
    );
  if (laid?.kind !== "class" && laid?.kind !== "merge class") return null;
  const { classId } = laid;
  const entry = classes.find((other) => other.id === classId);
  // Another window may have taken the class away meanwhile.
  if (!entry) return null;
  if (laid.kind === "class")
    return (
      <ClassSheet entry={entry} onClose={onClose} onChange={(look) => mending.changeClass(classId, look)} />
    );
  return (
    <LabelSheet
      title={`Merge ${entry.name} into`}
      classes={classes.filter((other) => other !== entry)}
      onClose={onClose}
      onChoose={(into) => void mending.mergeClass(classId, into)}
    />
  );
}
