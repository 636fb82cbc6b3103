/** Where a thing is explained: a page of the guide and a heading on it, as `training#warm-up`. */
import { slug } from "github-slugger";

/** The passage about a thing by the words under which it is known. */
export function passage(page: string, heading: string): string {
  return `${page}#${slug(heading)}`;
}

/** The address of a link within the guide, whose files name each other. */
export function guideAddress(link: string): string {
  if (/^[a-z]+:/.test(link) || link.startsWith("/") || link.startsWith("#")) return link;
  const [file = "", heading] = link.split("#");
  const page = file.replace(/\.md$/, "");
  return `/guide/${page === "README" ? "" : page}${heading ? `#${heading}` : ""}`;
}
