/** What a field shows: pictures by a Sift, in rows, at a size. */
import type { FieldQuery } from "../../api/queries";
import type { Heads, TileSize } from "../../domain/field";
import type { FieldIndex } from "../../domain/fieldIndex";
import type { FieldRow } from "../../domain/fieldRows";

export interface Shown {
  readonly asked: FieldQuery;
  readonly size: TileSize;
  readonly heads: Heads;
  readonly rows: readonly FieldRow[];
  readonly index: FieldIndex;
  /** Pictures in all, arrived or not. */
  readonly total: number;
}
