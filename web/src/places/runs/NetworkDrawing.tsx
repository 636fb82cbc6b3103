/** A network to scale: each layer a bar as wide as its maps are high and as high as they are many; paths beside it. */
import { useEffect, useRef } from "react";
import type { NetworkCheck } from "../../api/client";
import { type Line, sameLine } from "../../domain/network";
import { drawNetwork } from "../../domain/networkDrawing";

interface Props {
  lines: NetworkCheck["lines"];
  size: number;
  cursor: Line | undefined;
  onCursor: (line: Line) => void;
}

export function NetworkDrawing({ lines, size, cursor, onCursor }: Props) {
  const drawing = drawNetwork(lines, size);
  const lit = useRef<SVGRectElement>(null);
  const place = cursor?.join(".");
  useEffect(() => {
    if (place !== undefined) lit.current?.scrollIntoView({ block: "nearest" });
  }, [place]);
  const first = drawing.bars.findIndex((bar) => isAt(bar.line, cursor));
  return (
    <section
      aria-label="Drawing"
      className="w-[284px] max-[1100px]:w-[190px] shrink-0 overflow-x-hidden overflow-y-auto border-l border-hairline px-3 py-2"
      // biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls is reached by keys
      tabIndex={0}
    >
      <p className="text-sm text-quiet">
        From the picture above to the answer below: as wide as a map, as high as there are many.
      </p>
      <svg
        width={drawing.width}
        viewBox={`0 0 ${drawing.width} ${drawing.height}`}
        className="h-auto max-w-full"
        role="img"
        aria-label={`${drawing.bars.length} layers, drawn to scale`}
        data-testid="network-drawing"
      >
        {drawing.ways.map((way) => (
          <path key={way.key} d={way.d} fill="none" stroke="var(--edge)" strokeWidth={1.2} />
        ))}
        {drawing.bars.map((bar, index) => (
          // biome-ignore lint/a11y/noStaticElementInteractions: the lines beside it do the same by keys
          <rect
            key={bar.place}
            ref={index === first ? lit : undefined}
            x={bar.x}
            y={bar.y}
            width={bar.width}
            height={bar.height}
            fill={isAt(bar.line, cursor) ? "var(--choice)" : "var(--quiet)"}
            opacity={isAt(bar.line, cursor) ? 1 : 0.45}
            className="cursor-pointer"
            onClick={() => onCursor(bar.line)}
          >
            <title>{bar.words}</title>
          </rect>
        ))}
      </svg>
    </section>
  );
}

/** A stretch is lit with all that is in it. */
function isAt(line: Line, cursor: Line | undefined): boolean {
  return sameLine(line.slice(0, cursor?.length), cursor);
}
