/** Whatever is laid over the field: sheets that ask for a name, a class, a note, how to divide and what to take out. */
import type { ClassOf, Project, SetName, Split } from "../../api/client";
import type { FieldQuery } from "../../api/queries";
import { plural } from "../../domain/words";
import { LabelSheet } from "../../parts/LabelSheet";
import { NameSheet } from "../../parts/NameSheet";
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
  onAddress: (next: Record<string, string | undefined>) => void;
}

export function RowsSheets(props: Props) {
  const { laid, project, classes, split, asked, total, chosen, mended, mending, onLay, onLabel, onAddress } =
    props;
  const close = () => onLay(undefined);
  const classOf = (classId: number) => classes.find((entry) => entry.id === classId);
  return (
    <>
      {laid?.kind === "take out" && (
        <TakeOutSheet
          projectId={project.id}
          pictures={project.pictures}
          // What a look at the test set lets through besides is taken out by choosing it.
          sifted={asked.sift && !asked.look ? { ...asked, count: total } : undefined}
          chosen={chosen}
          split={split}
          onClose={close}
        />
      )}
      {laid?.kind === "divide" && (
        <DivideSheet
          projectId={project.id}
          classes={classes}
          splits={props.splits}
          split={split}
          onClose={close}
          onDivided={(made) => onAddress({ split: String(made.id) })}
        />
      )}
      {laid?.kind === "new class" && (
        <NameSheet
          title="New class"
          label="Name"
          action="Make class"
          onClose={close}
          onName={mending.newClass}
        />
      )}
      {laid?.kind === "split off" && (
        <NameSheet
          title={`Split off ${plural(chosen.length, "picture")} as a new class`}
          label="Name"
          action="Split off"
          onClose={close}
          onName={(name) => mending.splitOff(name, chosen)}
        />
      )}
      {laid?.kind === "class" && classOf(laid.classId) && (
        <ClassSheet
          entry={classOf(laid.classId) as ClassOf}
          onClose={close}
          onChange={(look) => mending.changeClass(laid.classId, look)}
        />
      )}
      {laid?.kind === "note" && (
        <NoteSheet
          title={`Note on ${plural(chosen.length, "picture")}`}
          onClose={close}
          onNote={(note) => void mending.note(chosen, note)}
        />
      )}
      {laid?.kind === "merge class" && (
        <LabelSheet
          title={`Merge ${classOf(laid.classId)?.name ?? ""} into`}
          classes={classes.filter((entry) => entry.id !== laid.classId)}
          onClose={close}
          onChoose={(into) => void mending.mergeClass(laid.classId, into)}
        />
      )}
      {laid?.kind === "history" && (
        <HistorySheet
          projectId={project.id}
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
      )}
      {laid?.kind === "set" && (
        <SetSheet
          count={mended.length}
          split={split}
          onClose={close}
          onSet={(set) => props.onSet(mended, set)}
        />
      )}
      {laid?.kind === "label" && (
        <LabelSheet
          title={`Label ${plural(mended.length, "picture")}`}
          classes={classes}
          onClose={close}
          onChoose={(classId) => onLabel(mended, classId)}
        />
      )}
    </>
  );
}
