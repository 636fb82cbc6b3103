/** What the model says of pictures that nobody has labelled: answers without scores, in rows by the predicted class. */
import { useNavigate } from "react-router";
import type { Model } from "../../api/client";
import { useJudgement } from "../../api/judgingQueries";
import { useAddress, usePlace } from "../../app/context";
import { rowsAddress } from "../../domain/siftLine";
import { plural } from "../../domain/words";
import { Button, buttonLook } from "../../parts/Button";
import { Choice } from "../../parts/Choice";
import { useFieldDesk } from "../field/useFieldDesk";
import { FieldArea } from "./FieldArea";
import { Proposals } from "./Proposals";
import { useAccepting } from "./useAccepting";
import { useSaidField } from "./useJudgedField";
import { CameSince } from "./VerdictLine";

/** In which order they stand, and what is said of it. */
const ORDERS = {
  sure: { sift: "order:-p", label: "surest first", title: "What it is surest of first, to be taken" },
  doubtful: { sift: "order:p", label: "doubtful first", title: "What it is least sure of first" },
  worth: {
    sift: "order:-worth",
    label: "worth labelling first",
    title: "What a label would teach it most by: doubtful ones that are unlike one another",
  },
} as const;

type Order = keyof typeof ORDERS;

export function Unlabelled({ model }: { model: Model }) {
  const { project, classes } = usePlace();
  const navigate = useNavigate();
  const [address, setAddress] = useAddress();
  const order = orderOf(address.get("order"));
  const sift = `judged:unlabelled unlabelled ${ORDERS[order].sift}`;
  // What is most worth labelling is so among all of them, whatever the model says of each.
  const group = order === "worth" ? "nothing" : "predicted";
  const shown = useSaidField({ sift, group, look: undefined, heads: order === "worth" ? "none" : "left" });
  const accept = useAccepting(model.id);
  const inRows = (line: string, like?: number) =>
    navigate(rowsAddress(project.id, { ...shown.asked, sift: line, like }));
  const parts = useFieldDesk(shown, {
    movesOn: true,
    onSift: inRows,
    onWriteSift: () => inRows(sift),
    accept: (pictureIds) => accept({ pictureIds }),
  });
  const since = useJudgement(model.id, "unlabelled", undefined, true, "today").data;
  return (
    <>
      <div className="flex items-center gap-3 px-4 pt-2 pb-1">
        <h2 className="font-semibold" data-testid="outcomes-title">
          {plural(shown.total, "unlabelled picture")} and what the model proposes
        </h2>
        <Choice
          label="Order"
          hideLabel
          value={order}
          options={(Object.keys(ORDERS) as Order[]).map((value) => ({ value, ...ORDERS[value] }))}
          onChange={(next) => setAddress({ order: next === "sure" ? undefined : next })}
        />
        {since && (
          <span className="text-quiet">
            {since.right} of the {since.count} labelled since bear the label that it says
          </span>
        )}
        <Button kind="bare" title="The same pictures by a Sift in Rows (/)" onClick={() => inRows(sift)}>
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
        <span className="ml-auto text-sm text-quiet">
          Y takes the chosen ones as proposed, 1–9 or L labels otherwise
        </span>
      </div>
      <Proposals model={model} classes={classes} onAccept={accept} />
      <FieldArea
        shown={shown}
        parts={parts}
        nothing="None of the pictures that it was asked about is unlabelled any more."
      />
    </>
  );
}

function orderOf(text: string | null): Order {
  return text === "doubtful" || text === "worth" ? text : "sure";
}
