/** Pictures of a judged set with what lies over them, or why there are none. */
import { Failed, Reading } from "../../parts/States";
import { FieldOverlays } from "../field/FieldOverlays";
import { ShownField } from "../field/ShownField";
import type { FieldDesk } from "../field/useFieldDesk";
import type { SaidField } from "./useJudgedField";

interface Props {
  shown: SaidField;
  parts: FieldDesk;
  /** Said where no picture is left. */
  nothing: string;
}

export function FieldArea({ shown, parts, nothing }: Props) {
  return (
    <>
      <div className="relative min-h-0 flex-1">
        {shown.field.isPending && <Reading what="the pictures" />}
        {shown.field.error && !shown.data && (
          <Failed error={shown.field.error} onRetry={() => void shown.field.refetch()} />
        )}
        {shown.data && !shown.total && <p className="px-4 py-2 text-quiet">{nothing}</p>}
        {shown.total > 0 && <ShownField parts={parts} />}
      </div>
      <FieldOverlays parts={parts} />
    </>
  );
}
