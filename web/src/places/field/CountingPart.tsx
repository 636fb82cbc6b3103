/** Over the enlarged picture: the part of it that counts; what is found by itself is looked for here too. */
import { useFoundArea } from "../../api/areaQueries";
import type { PictureDetail } from "../../api/client";
import { areaFrom, type Box, isWhole } from "../../domain/area";
import { AreaOverlay } from "../../parts/AreaOverlay";

export function CountingPart({ projectId, detail }: { projectId: number; detail: PictureDetail }) {
  const area = areaFrom(detail.area);
  const found = useFoundArea(projectId, detail.picture.id, area);
  if (isWhole(area)) return null;
  const keep = area.margin === null ? area.keep : ((found.data?.box ?? null) as Box | null);
  return <AreaOverlay area={{ ...area, keep, margin: null }} dim={0.4} />;
}
