/** The keys of the present place. */
import { useLocation } from "react-router";
import { Sheet } from "../parts/Sheet";

type Keys = readonly (readonly [string, string])[];

const EVERYWHERE: Keys = [
  ["g then r, u, v, l", "go to Rows, Runs, Review, Release"],
  ["?", "this list"],
  ["Esc", "close what lies on top"],
];

const BY_PLACE: Record<string, Keys> = {
  rows: [
    ["← → ↑ ↓, Home, End", "move from picture to picture"],
    ["Shift + arrow or click", "choose a range"],
    ["Ctrl + click, Space", "add to or take from what is chosen"],
    ["Ctrl + A", "choose every picture"],
    ["drag a picture", "label what is chosen, or put it into a set, by dropping it on a row"],
    ["drag elsewhere, or Shift + drag", "choose with a rubber band"],
    ["1 … 9", "label with the first nine classes"],
    ["0", "take the label away"],
    ["L", "label by typing a class's name"],
    ["X", "exclude, or take in again"],
    ["U", "mark unsure, or not any more"],
    ["N", "a new class from what is chosen"],
    ["T", "one note for what is chosen"],
    ["M", "the pictures most like the chosen one first, in every row"],
    ["S", "put what is chosen into a set"],
    ["A", "which part of the pictures counts; of the chosen ones alone"],
    ["V", "what variation makes of what is chosen"],
    ["K", "of copies: keep what is chosen, exclude the others"],
    ["D", "of copies and findings: what is chosen is none"],
    ["Y", "of findings: the class that is proposed"],
    ["/", "write a Sift; Tab completes, Enter applies"],
    ["H", "what was changed"],
    ["Enter, double click", "Close-up; ← → for the next one there"],
    ["W", "where the model looks, over the tiles or in the Close-up"],
    ["+ and − in the Close-up, wheel", "down to the pixels; double click for the whole"],
    ["Delete", "move what is chosen to the bin"],
    ["+ and −", "larger and smaller tiles"],
    ["Ctrl + Z", "take back this window's last step"],
    ["Ctrl + Shift + Z, Ctrl + Y", "do again what was taken back"],
  ],
  runs: [["Ctrl + Enter", "train with what the Run sheet says"]],
  review: [
    ["Tab, ← → ↑ ↓, Enter", "go through the matrix and show a cell's pictures"],
    ["Ctrl + click, Shift + click", "another cell too; all cells up to there"],
    ["B, double click", "a cell in both directions"],
    ["1 … 9, 0, L", "mend the label of the chosen picture; the next follows"],
    ["Y", "of unlabelled ones: take what the model proposes"],
    ["X, U, T, S", "exclude, mark unsure, note, put into a set, as in Rows"],
    ["Enter, double click", "Close-up; ← → for the next one there"],
    ["W", "where the model looks, over the tiles or in the Close-up"],
    ["+ and − in the Close-up, wheel", "down to the pixels; double click for the whole"],
    ["+ and −", "larger and smaller tiles"],
    ["/", "the same pictures in Rows, by a Sift"],
    ["Ctrl + Z", "take back this window's last step"],
  ],
  release: [
    ["Ctrl + O", "choose pictures to try"],
    ["Ctrl + V", "try the picture that was copied, or the one at a web address"],
    ["W", "where the model looks in the picture"],
  ],
};

const NETWORK: Keys = [
  ["↑ ↓, Home, End", "move from line to line"],
  ["Tab", "to the numbers of the line; Esc back to it"],
  ["Enter", "put in behind the line, by a few letters"],
  ["D", "the same once more"],
  ["Alt + ↑ ↓", "move the line"],
  ["R", "repeat it; a stretch once more"],
  ["[", "take the line above into the stretch"],
  ["O", "open a block into its layers"],
  ["Delete", "take the line out"],
  ["Ctrl + Z, Ctrl + Shift + Z", "take back, do again"],
];

const AREA: Keys = [
  ["K, B, P", "draw what is kept, a box or a shape that is covered"],
  ["Enter", "set one for the arrows to move; close a shape"],
  ["← → ↑ ↓, with Shift", "move what is chosen, stretch it"],
  ["Delete", "take out what is chosen"],
  ["Esc", "leave a shape, or what is chosen"],
  ["Ctrl + Enter", "set it"],
  ["Ctrl + Z, Ctrl + Shift + Z", "a step of the drawing back or forth, then of this window"],
];

const BRINGING_IN: Keys = [
  ["Ctrl + Enter", "bring in what the plan says"],
  ["Enter, Esc", "in a class's name: take it, or leave it as it was"],
  ["Space", "with the camera open: take a shot"],
];

export function KeySheet({ open, onClose }: { open: boolean; onClose: () => void }) {
  const { pathname, search } = useLocation();
  const [place = "", page] = pathname.split("/").slice(3);
  const network = new URLSearchParams(search).get("part") === "network";
  const keys =
    page === "bring-in" ? BRINGING_IN : page === "area" ? AREA : network ? NETWORK : BY_PLACE[place];
  return (
    <Sheet title="Keys" open={open} onClose={onClose} readOnly>
      <dl className="grid grid-cols-[190px_1fr] gap-x-4 gap-y-1.5">
        {[...(keys ?? []), ...EVERYWHERE].map(([key, what]) => (
          <div key={key} className="contents">
            <dt className="font-mono text-sm">{key}</dt>
            <dd>{what}</dd>
          </div>
        ))}
      </dl>
    </Sheet>
  );
}
