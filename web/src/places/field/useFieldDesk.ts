/** A field that is worked on: what is chosen in it, what lies over it, and what can be done. */
import { type KeyboardEvent, useState } from "react";
import { usePlace } from "../../app/context";
import { useMending } from "../mending/useMending";
import type { Laid } from "./DeskSheets";
import { FIRST_TILE_HEAT, type TileHeat } from "./FieldHeat";
import { mendByKey } from "./pictureKeys";
import type { Shown } from "./shown";
import { useDesk } from "./useDesk";
import { useSelection } from "./useSelection";

interface Options {
  movesOn: boolean;
  onSift: (sift: string, like?: number) => void;
  onWriteSift: () => void;
  /** Labels pictures as the model on show proposes, where it does. */
  accept?: (ids: readonly number[]) => void;
  /** Says of pictures that they are no such thing, in place of copies. */
  dismiss?: (ids: readonly number[]) => void;
}

export function useFieldDesk(shown: Shown, options: Options) {
  const { project, run } = usePlace();
  const mending = useMending(project.id);
  const chosen = useSelection(shown.index, shown.total);
  const [laid, setLaid] = useState<Laid>();
  const [closeUp, setCloseUp] = useState<number>();
  const desk = useDesk({
    ...options,
    shown,
    chosen,
    mending,
    closeUp,
    onCloseUp: setCloseUp,
    onLay: setLaid,
  });
  const [heat, setHeat] = useState<TileHeat>();
  const onKey = (event: KeyboardEvent, ids: readonly number[]) => {
    if (event.key === "w" && run?.model && !event.ctrlKey && !event.metaKey && !event.altKey) {
      event.preventDefault();
      setHeat(heat ? undefined : FIRST_TILE_HEAT);
    } else mendByKey(event, ids, desk);
  };
  return { heat, setHeat, shown, chosen, mending, desk, laid, setLaid, closeUp, setCloseUp, onKey };
}

export type FieldDesk = ReturnType<typeof useFieldDesk>;
