/** Curves to take away: as SVG or PNG in a chosen size, seen as they will be. */
import { useRef, useState } from "react";
import { Button } from "../../parts/Button";
import { useNotices } from "../../parts/Notices";
import { NumberField } from "../../parts/NumberField";
import { Sheet } from "../../parts/Sheet";
import { download, standaloneSvg, svgAsPng } from "../../parts/standaloneSvg";
import { type CurvesProps, Plotted } from "./Curves";

interface Props {
  runNumber: number;
  curves: Omit<CurvesProps, "head">;
  onClose: () => void;
}

const FIRST = { width: 760, height: 430 };

export function CurvesFile({ runNumber, curves, onClose }: Props) {
  const [size, setSize] = useState(FIRST);
  const place = useRef<HTMLDivElement>(null);
  const { fail } = useNotices();
  const name = `run-${runNumber}-${curves.shown}`;
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
    <Sheet title="Curves as a file" open onClose={onClose} wide>
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
        </span>
      </div>
      <section
        ref={place}
        aria-label="As they will be"
        className="mt-2 max-h-[60vh] overflow-auto border border-hairline bg-ground"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls is reached by keys
        tabIndex={0}
      >
        <Plotted {...curves} size={size} titled />
      </section>
    </Sheet>
  );
}
