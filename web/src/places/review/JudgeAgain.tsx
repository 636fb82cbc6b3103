/** What was not judged yet, or not with all that is asked now, and the way to it. */
import { Empty } from "../../parts/States";
import { type Asked, JudgeButton } from "../looks/JudgeButton";

interface Props extends Asked {
  title: string;
  words: string;
}

export function JudgeAgain({ title, words, ...of }: Props) {
  return (
    <Empty title={title}>
      <p className="mb-4">{words}</p>
      <JudgeButton {...of} words={`Judge run ${of.model.run_number}`} main />
    </Empty>
  );
}
