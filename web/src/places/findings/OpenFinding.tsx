/** One finding opened: what it does to a result, what to do, its measure, and what settles all of it at once. */
import type { FindingLine } from "../../api/client";
import { useAddress } from "../../app/context";
import { expectedWords } from "../../domain/findings";
import { Button } from "../../parts/Button";
import { Help } from "../../parts/Help";
import { MeasureHistogram } from "./MeasureHistogram";
import type { Settling } from "./useSettling";

interface Props {
  projectId: number;
  line: FindingLine;
  sift: string;
  settling: Settling;
}

export function OpenFinding({ projectId, line, sift, settling }: Props) {
  const [, setAddress] = useAddress();
  const words = expectedWords(line);
  return (
    <div className="px-3 pb-3 text-sm">
      <p>{line.effect}</p>
      <p className="mt-1">
        <Help guide={`findings#${passageOf(line)}`}>{line.mend}</Help>
      </p>
      {line.detail && <p className="mt-1 text-quiet">{line.detail}</p>}
      {words && <p className="mt-1 text-quiet">{`${line.count} are named, ${words}.`}</p>}
      {line.measure && <MeasureHistogram projectId={projectId} line={line} sift={sift} />}
      <div className="mt-2 flex flex-wrap gap-2">
        {line.name === "label" && (
          <Button
            title="As one step, which can be taken back"
            onClick={() => settling.putRight()}
          >{`Take all ${line.count} proposals`}</Button>
        )}
        {line.of_pictures && (
          <Button
            title="For good: they are not named again. One step, which can be taken back"
            onClick={() => settling.dismiss(line.name)}
          >
            None of them is a fault
          </Button>
        )}
        {!line.of_pictures && line.sift && (
          <Button onClick={() => setAddress({ sift: line.sift ?? undefined, group: groupOf(line) })}>
            Show these pictures
          </Button>
        )}
        {!line.of_pictures && !LIVES_ELSEWHERE.has(line.name) && (
          <Button onClick={() => settling.hide(line.name, true)}>It is no fault</Button>
        )}
      </div>
    </div>
  );
}

function passageOf(line: FindingLine): string {
  if (line.measure) return "hard-to-see";
  if (line.name.startsWith("tells:")) return "what-gives-a-class-away";
  if (line.name.startsWith("apart:")) return "test-and-training";
  return line.name === "alone" ? "alone" : "labels";
}

// Settled picture by picture where copies and labels are.
const LIVES_ELSEWHERE = new Set(["two-labels", "parted-copies"]);

function groupOf(line: FindingLine): string | undefined {
  return LIVES_ELSEWHERE.has(line.name) ? "copies" : undefined;
}
