/** Where a place has nothing to show before the first result: what will show here, and what to do first. */
import { usePlace } from "../../app/context";
import { buttonLook } from "../../parts/Button";
import { Empty } from "../../parts/States";
import { NextStepLink } from "./NextStepLink";
import { useNextStep } from "./useNextStep";

export function NothingYet({ title, words }: { title: string; words: string }) {
  const place = usePlace();
  const step = useNextStep(place);
  return (
    <Empty title={title}>
      <p className="mb-2">{words}</p>
      <p className="mb-4">{step.text}</p>
      <NextStepLink projectId={place.project.id} step={step} className={buttonLook("main")} />
    </Empty>
  );
}
