/** What the model says of pictures that nobody has labelled: answers without scores, in rows by the predicted class. */
import { useNavigate } from "react-router";
import type { Model } from "../../api/client";
import { useJudgement } from "../../api/judgingQueries";
import { usePlace } from "../../app/context";
import { rowsAddress } from "../../domain/siftLine";
import { plural } from "../../domain/words";
import { Button, buttonLook } from "../../parts/Button";
import { useFieldDesk } from "../field/useFieldDesk";
import { FieldArea } from "./FieldArea";
import { useSaidField } from "./useJudgedField";
import { CameSince } from "./VerdictLine";

const SIFT = "judged:unlabelled order:p";

export function Unlabelled({ model }: { model: Model }) {
  const { project } = usePlace();
  const navigate = useNavigate();
  const shown = useSaidField({ sift: SIFT, group: "predicted", look: undefined, heads: "left" });
  const inRows = (sift: string, like?: number) =>
    navigate(rowsAddress(project.id, { ...shown.asked, sift, like }));
  const parts = useFieldDesk(shown, { movesOn: true, onSift: inRows, onWriteSift: () => inRows(SIFT) });
  const since = useJudgement(model.id, "unlabelled", undefined, true, "today").data;
  return (
    <>
      <div className="flex items-center gap-3 px-4 pt-2 pb-1">
        <h2 className="font-semibold" data-testid="outcomes-title">
          {plural(shown.total, "unlabelled picture")} by what the model says, the least sure first
        </h2>
        {since && (
          <span className="text-quiet">
            {since.right} of the {since.count} labelled since bear the label that it says
          </span>
        )}
        <Button kind="bare" title="The same pictures by a Sift in Rows (/)" onClick={() => inRows(SIFT)}>
          In Rows
        </Button>
        <a
          className={buttonLook("bare")}
          href={`/api/models/${model.id}/answers.csv?set=unlabelled`}
          download
        >
          Answers as CSV
        </a>
        <CameSince model={model} />
        <span className="ml-auto text-sm text-quiet">1–9 or L labels the chosen one; the next follows</span>
      </div>
      <FieldArea
        shown={shown}
        parts={parts}
        nothing="None of the pictures that it was asked about is here any more."
      />
    </>
  );
}
