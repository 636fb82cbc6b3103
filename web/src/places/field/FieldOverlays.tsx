/** What lies over a field: the Close-up, and the sheets that ask for something. */
import { useAddress, usePlace } from "../../app/context";
import { CloseUp } from "./CloseUp";
import { DeskSheets } from "./DeskSheets";
import type { FieldDesk } from "./useFieldDesk";

export function FieldOverlays({ parts }: { parts: FieldDesk }) {
  const { project, classes, splits, split, run } = usePlace();
  const [, setAddress] = useAddress();
  const { shown, chosen, mending, desk, laid, closeUp, setCloseUp } = parts;
  return (
    <>
      {closeUp !== undefined && (
        <CloseUp
          projectId={project.id}
          pictureId={closeUp}
          asked={shown.asked}
          classes={classes}
          model={run?.model ?? undefined}
          onClose={() => setCloseUp(undefined)}
          onStep={desk.step}
          onKey={(event) => parts.onKey(event, [closeUp])}
          onLike={() => desk.showLike(closeUp)}
          onOpen={setCloseUp}
          onNote={(note) => void mending.note([closeUp], note)}
        />
      )}
      <DeskSheets
        {...{ laid, project, classes, splits, split, run, mending }}
        asked={shown.asked}
        total={shown.total}
        chosen={chosen.chosen}
        mended={closeUp === undefined ? chosen.chosen : [closeUp]}
        onLay={parts.setLaid}
        onLabel={desk.label}
        onSet={desk.moveToSet}
        onNote={desk.note}
        onAddress={setAddress}
      />
    </>
  );
}
