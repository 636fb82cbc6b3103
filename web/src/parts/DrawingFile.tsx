/** A drawing to take away: as SVG or PNG in a chosen size, seen as it will be. */
import { type ReactNode, useRef, useState } from "react";
import { Button } from "./Button";
import { useNotices } from "./Notices";
import { NumberField } from "./NumberField";
import { Sheet } from "./Sheet";
import { download, standaloneSvg, svgAsPng } from "./standaloneSvg";
import type { Size } from "./useSize";

interface Props {
  title: string;
  /** Of the file, without its ending. */
  name: string;
  /** The size that is proposed. */
  first: Size;
  /** The drawing in a size. */
  drawn: (size: Size) => ReactNode;
  /** What the same is had as besides. */
  also?: ReactNode;
  onClose: () => void;
}

export function DrawingFile({ title, name, first, drawn, also, onClose }: Props) {
  const [size, setSize] = useState(first);
  const place = useRef<HTMLDivElement>(null);
  const { fail } = useNotices();
  const take = async (kind: "svg" | "png") => {
    const drawing = place.current?.querySelector("svg");
    if (!drawing) return;
    const svg = standaloneSvg(drawing);
    try {
      const data =
        kind === "svg"
          ? new Blob([svg], { type: "image/svg+xml" })
          : await svgAsPng(svg, size.width, size.height);
      download(data, `${name}.${kind}`);
    } catch (error) {
      fail(error);
    }
  };
  const side = { min: 200, max: 4000, step: 1 };
  return (
    <Sheet title={title} open onClose={onClose} wide>
      <div className="flex items-start gap-6">
        <NumberField
          {...side}
          label="Width"
          help="In units of the drawing; a PNG has two pixels for each."
          value={size.width}
          onChange={(width) => setSize({ ...size, width })}
        />
        <NumberField
          {...side}
          label="Height"
          help="The words stay as large as they are here."
          value={size.height}
          onChange={(height) => setSize({ ...size, height })}
        />
        <span className="ml-auto flex gap-2">
          <Button kind="main" onClick={() => void take("svg")}>
            SVG
          </Button>
          <Button onClick={() => void take("png")}>PNG</Button>
          {also}
        </span>
      </div>
      <section
        ref={place}
        aria-label="As it will be"
        className="mt-2 max-h-[60vh] overflow-auto border border-hairline bg-ground"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls is reached by keys
        tabIndex={0}
      >
        {drawn(size)}
      </section>
    </Sheet>
  );
}
