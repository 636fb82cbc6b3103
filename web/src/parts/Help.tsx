/** A line of help, and the way to what the guide says of it. It opens beside, so that nothing typed here is left. */
import type { ReactNode } from "react";

interface Props {
  /** A passage of the guide, as `training#warm-up`. */
  guide: string;
  children: ReactNode;
}

export function Help({ guide, children }: Props) {
  return (
    <>
      {children}{" "}
      <a
        href={`/guide/${guide}`}
        target="vast-orchard-guide"
        className="text-choice underline decoration-dotted underline-offset-2"
        aria-label={`More in the guide: ${guide.slice(guide.indexOf("#") + 1).replaceAll("-", " ")}`}
      >
        more
      </a>
    </>
  );
}
