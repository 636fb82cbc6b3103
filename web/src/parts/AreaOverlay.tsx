/** A working area over a picture: what counts is bright, the rest dimmed, what is covered painted over. */
import {
  type Area,
  type Box,
  boxPolygon,
  outsidePath,
  type Part,
  type Point,
  pointsText,
} from "../domain/area";

interface OverlayProps {
  area: Area;
  part?: Part | undefined;
  open?: readonly Point[] | undefined;
  /** How much of what does not count is hidden. */
  dim?: number;
  drawn?: { readonly box: Box; readonly keep: boolean } | undefined;
}

/** Drawn in fractions of the picture; lines keep their width whatever its size. */
export function AreaOverlay({ area, part, open = [], drawn, dim = 0.78 }: OverlayProps) {
  const keep = drawn?.keep ? drawn.box : area.keep;
  const covered = drawn && !drawn.keep ? [...area.covered, boxPolygon(drawn.box)] : area.covered;
  const fill = area.fill ? `rgb(${area.fill.join(" ")})` : "var(--edge)";
  const line = { fill: "none", strokeWidth: 2, vectorEffect: "non-scaling-stroke" } as const;
  return (
    <svg
      viewBox="0 0 1 1"
      preserveAspectRatio="none"
      className="pointer-events-none absolute inset-0 size-full overflow-visible"
      aria-hidden="true"
    >
      {covered.map((points, at) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: covered parts have no other name
        <g key={at}>
          <polygon points={pointsText(points)} fill={fill} />
          <polygon
            points={pointsText(points)}
            {...line}
            stroke={part === at ? "var(--choice)" : "var(--ground)"}
            strokeDasharray={part === at ? undefined : "4 3"}
          />
        </g>
      ))}
      {keep && (
        <>
          <path d={outsidePath(keep)} fillRule="evenodd" fill="var(--ground)" opacity={dim} />
          <polygon points={pointsText(boxPolygon(keep))} {...line} strokeWidth={4} stroke="var(--ink)" />
          <polygon
            points={pointsText(boxPolygon(keep))}
            {...line}
            stroke={part === "keep" ? "var(--choice)" : "var(--action)"}
          />
        </>
      )}
      {open.length > 0 && (
        <polyline points={pointsText(open)} {...line} stroke="var(--action)" strokeLinecap="round" />
      )}
      {open.map((point) => (
        <line
          key={point.join()}
          x1={point[0]}
          x2={point[0]}
          y1={point[1]}
          y2={point[1]}
          stroke="var(--action)"
          strokeWidth={6}
          strokeLinecap="round"
          vectorEffect="non-scaling-stroke"
        />
      ))}
    </svg>
  );
}
