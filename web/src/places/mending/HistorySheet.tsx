/** The history: what changed, when, in which window and how many; each step can be opened in the Sift. */
import { type Action, windowId } from "../../api/client";
import { useHistory } from "../../api/queries";
import { moment, plural } from "../../domain/words";
import { Button } from "../../parts/Button";
import { Sheet } from "../../parts/Sheet";
import { Failed, Reading } from "../../parts/States";

interface Props {
  projectId: number;
  /** The one picture that is chosen, whose steps alone can be shown. */
  picture: { id: number; only: boolean } | undefined;
  onOnly: (only: boolean) => void;
  onShow: (step: number) => void;
  onUndo: () => void;
  onRedo: () => void;
  onClose: () => void;
}

export function HistorySheet({ projectId, picture, onOnly, onShow, onUndo, onRedo, onClose }: Props) {
  const history = useHistory(projectId, picture?.only ? picture.id : undefined);
  return (
    <Sheet title="History" open wide onClose={onClose}>
      <div className="mb-3 flex items-center gap-2">
        <Button onClick={onUndo}>Undo</Button>
        <Button onClick={onRedo}>Redo</Button>
        {picture && (
          <label className="ml-auto flex items-center gap-2">
            <input
              type="checkbox"
              checked={picture.only}
              onChange={(event) => onOnly(event.target.checked)}
            />
            only of the chosen picture
          </label>
        )}
      </div>
      {history.isPending && <Reading what="the history" />}
      {history.isError && <Failed error={history.error} onRetry={() => void history.refetch()} />}
      {history.data?.length === 0 && <p className="text-quiet">Nothing has been changed yet.</p>}
      <ol data-testid="history">
        {history.data?.map((step) => (
          <Step key={step.id} step={step} onShow={onShow} />
        ))}
      </ol>
    </Sheet>
  );
}

function Step({ step, onShow }: { step: Action; onShow: (step: number) => void }) {
  return (
    <li className="flex items-baseline gap-3 border-t border-hairline py-1">
      <time dateTime={step.done_at} className="w-36 text-sm text-quiet">
        {moment(step.done_at)}
      </time>
      <span className="min-w-0 flex-1 wrap-anywhere">{step.summary}</span>
      <span className="w-28 text-sm text-quiet">
        {step.window === windowId ? "this window" : step.window ? "another window" : ""}
      </span>
      <span className="w-40 text-right">
        {step.pictures > 0 && (
          <Button kind="bare" onClick={() => onShow(step.id)}>
            Show {plural(step.pictures, "picture")}
          </Button>
        )}
      </span>
    </li>
  );
}
