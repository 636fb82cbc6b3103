/** The verdict, of which weights, and by whose labels: those of then, or today's with what differs. */
import type { JudgedSet, Judgement, Model } from "../../api/client";
import { type Labels, useJudgedSets, useOutside } from "../../api/judgingQueries";
import { useAddress } from "../../app/context";
import { labelsWords } from "../../domain/judged";
import { Choice } from "../../parts/Choice";
import { Digest } from "../../parts/Digest";
import { JudgeButton } from "../looks/JudgeButton";
import { Verdict } from "./Verdict";

interface Props {
  model: Model;
  set: JudgedSet;
  labels: Labels;
  judgement: Judgement;
  /** By the labels of today, once that is known. */
  today: Judgement | undefined;
  tested: boolean;
}

const LABELS: readonly { value: Labels; label: string; title: string }[] = [
  { value: "then", label: "labels of then", title: "Labels of then: as it was judged" },
  { value: "today", label: "of today", title: "Labels of today: as they have been mended since" },
];

export function VerdictLine({ model, set, labels, judgement, today, tested }: Props) {
  const [, setAddress] = useAddress();
  const differs = today && (today.relabelled > 0 || today.left_out > 0);
  return (
    <div className="flex items-center gap-4 border-b border-hairline px-4 py-1">
      <Verdict set={set} judgement={judgement} tested={tested} byFolds={!model.has_weights} />
      <div className="ml-auto flex shrink-0 items-center gap-3 text-sm">
        {today && (
          <span className="text-quiet" data-testid="labels-differ">
            {labelsWords(today)}
          </span>
        )}
        {(differs || labels === "today") && (
          <Choice<Labels>
            label="Labels"
            hideLabel
            value={labels}
            onChange={(next) => setAddress({ labels: next === "today" ? next : undefined, cells: undefined })}
            options={LABELS}
          />
        )}
        {set === "outside" && <CameSince model={model} />}
        {model.has_weights && <Digest model={model} />}
      </div>
    </div>
  );
}

/** What lies in no set now and was not asked about yet, and the way to ask. */
export function CameSince({ model }: { model: Model }) {
  const judged = useJudgedSets(model.id);
  const outside = useOutside(model.id);
  if (!judged.data || !outside.data) return null;
  const asked = judged.data.filter((entry) => entry.set === "outside" || entry.set === "unlabelled");
  const now = outside.data.outside + outside.data.unlabelled;
  const then = asked.reduce((sum, entry) => sum + entry.count, 0);
  if (now === then) return null;
  return (
    <>
      <span className="text-quiet">
        {now.toLocaleString("en")} lie outside now, {then.toLocaleString("en")} were asked about
      </span>
      <JudgeButton model={model} set="outside" words="Ask again" />
    </>
  );
}
