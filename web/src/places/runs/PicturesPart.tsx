/** Which pictures a run would learn from and be judged by, and which take no part in it. */
import { Link } from "react-router";
import type { Split } from "../../api/client";
import { useAddress } from "../../app/context";
import { baseWords, leftOut, type TrainingBase } from "../../domain/trainingBase";
import { Button } from "../../parts/Button";
import { SetBar } from "../../parts/SetBar";
import { useSplitMending } from "../sets/useSplitMending";
import { Part } from "./Part";

interface Props {
  projectId: number;
  split: Split | undefined;
  base: TrainingBase | undefined;
  onDivide: () => void;
}

export function PicturesPart({ projectId, split, base, onDivide }: Props) {
  return (
    <Part
      title="Pictures"
      words={base ? baseWords(base) : "divided when you train"}
      picture={
        base && (
          <>
            <SetBar counts={base.sets} height={10} />
            <LeftOut projectId={projectId} split={split} base={base} />
          </>
        )
      }
    >
      <p className="mb-2 text-sm text-quiet">Training / validation / test.</p>
      <Button onClick={onDivide}>{split ? "Open the split" : "Divide"}</Button>
    </Part>
  );
}

/** Each number opens its pictures in Rows. */
function LeftOut({ projectId, split, base }: Omit<Props, "base" | "onDivide"> & { base: TrainingBase }) {
  const reasons = leftOut(base);
  if (!reasons.length) return null;
  const place = split ? `&split=${split.id}` : "";
  return (
    <p className="mt-1 text-sm text-quiet" data-testid="left-out">
      Left out:{" "}
      {reasons.map(({ reason, words, sift }, at) => (
        <span key={reason}>
          {at > 0 && ", "}
          <Link
            to={`/p/${projectId}/rows?sift=${encodeURIComponent(sift)}${place}`}
            className="text-choice underline"
          >
            {words}
          </Link>
          {reason === "none" && split && (
            <>
              {" "}
              <TopUp projectId={projectId} splitId={split.id} />
            </>
          )}
        </span>
      ))}
      .
    </p>
  );
}

function TopUp({ projectId, splitId }: { projectId: number; splitId: number }) {
  const [, setAddress] = useAddress();
  const { busy, mend } = useSplitMending(projectId, splitId, (made) =>
    setAddress({ split: String(made.id) }),
  );
  return (
    <Button
      kind="bare"
      disabled={busy}
      title="None that is in a set is moved"
      onClick={() => void mend("top-up")}
    >
      Top up
    </Button>
  );
}
