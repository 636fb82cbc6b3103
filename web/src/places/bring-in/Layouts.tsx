/** The layouts of files that are read, as small trees. */

interface Layout {
  readonly title: string;
  readonly tree: string;
  readonly words: string;
}

const LAYOUTS: readonly Layout[] = [
  {
    title: "A folder for each class",
    tree: "station/\n├ plate/\n│ ├ 001.png\n│ └ 002.png\n├ column/\n└ unlabelled/",
    words: "However deep: a folder that holds everything is seen through.",
  },
  {
    title: "Sets, with classes in them",
    tree: "station/\n├ train/\n│ ├ plate/\n│ └ column/\n├ val/\n└ test/",
    words: "The sets are kept for the training; one that is missing is drawn.",
  },
  {
    title: "Names that say the class",
    tree: "plate_001.png\nplate_002.png\ncolumn_001.png\n\n{class}_{number}",
    words: "By a pattern that you see at work and can change.",
  },
  {
    title: "A table beside the pictures",
    tree: "labels.csv\n│ file, class, set\n│ a/1.png, plate,\npictures/\n└ a/\n  └ 1.png",
    words: "CSV or TSV, also with sets, series and notes.",
  },
  {
    title: "Pictures alone",
    tree: "1.jpg\n2.jpg\n3.tif",
    words: "They come in unlabelled, or all under one class, and are sorted in Rows.",
  },
  {
    title: "All of that in an archive",
    tree: "winter.zip\nwinter.tar.gz",
    words: "A collection that was taken out here is read as it was.",
  },
];

export function Layouts() {
  return (
    <section className="mt-6" aria-label="What is read">
      <h3 className="mb-2 font-semibold">What is read</h3>
      <ul className="grid grid-cols-3 gap-x-8 gap-y-5">
        {LAYOUTS.map((layout) => (
          <li key={layout.title} className="border-t border-hairline pt-2">
            <h4>{layout.title}</h4>
            <pre className="my-1 h-[108px] overflow-hidden bg-sunken px-3 py-1.5 font-mono text-[12.5px] leading-4">
              {layout.tree}
            </pre>
            <p className="text-sm text-quiet">{layout.words}</p>
          </li>
        ))}
      </ul>
    </section>
  );
}
