/** Bringing in: where pictures come from, what is understood of them, and what became of earlier sources. */
import { useParams } from "react-router";
import { ImportPage } from "./ImportPage";
import { SourcePage } from "./SourcePage";

export function BringInPlace() {
  const importId = Number(useParams().importId);
  return importId ? <ImportPage key={importId} importId={importId} /> : <SourcePage />;
}
