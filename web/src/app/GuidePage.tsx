/** The guide: what each setting does and when to change it. Its text lies with the documents. */
import { type ReactNode, useEffect, useState } from "react";
import Markdown from "react-markdown";
import { Link, useLocation, useParams } from "react-router";
import rehypeSlug from "rehype-slug";
import remarkGfm from "remark-gfm";
import { guideAddress } from "../domain/guide";
import { Reading } from "../parts/States";
import { NotFound } from "./NotFound";
import { ThemeSwitch } from "./ThemeSwitch";

const PAGES = import.meta.glob<string>("../../../docs/guide/*.md", { query: "?raw", import: "default" });

export function GuidePage() {
  const { page = "README" } = useParams();
  const load = PAGES[`../../../docs/guide/${page}.md`];
  const [text, setText] = useState<{ page: string; text: string }>();
  useEffect(() => {
    void load?.().then((read) => setText({ page, text: read }));
  }, [load, page]);
  if (!load) return <NotFound />;
  return (
    <div className="flex h-full flex-col">
      <title>Guide · Vast Orchard</title>
      <header className="flex items-center justify-between border-b border-hairline px-6 py-2">
        <nav className="flex gap-2" aria-label="Guide">
          <Link to="/" className="hover:underline">
            Vast Orchard
          </Link>
          /
          <Link to="/guide" className="font-semibold hover:underline">
            Guide
          </Link>
        </nav>
        <ThemeSwitch />
      </header>
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: nothing in it can be pressed, so it is scrolled by keys itself */}
      <main className="min-h-0 flex-1 overflow-y-auto px-6 py-6" tabIndex={0}>
        {text?.page === page ? <Passages text={text.text} /> : <Reading what="the guide" />}
      </main>
    </div>
  );
}

function Passages({ text }: { text: string }) {
  const { hash } = useLocation();
  useEffect(() => {
    document.getElementById(decodeURIComponent(hash.slice(1)))?.scrollIntoView();
  }, [hash]);
  return (
    <article className="guide mx-auto max-w-[720px]">
      <Markdown
        remarkPlugins={[remarkGfm]}
        rehypePlugins={[rehypeSlug]}
        components={{ h2: Heading, a: Anchor }}
      >
        {text}
      </Markdown>
    </article>
  );
}

/** The passage that was asked for is marked. */
function Heading({ id, children }: { id?: string | undefined; children?: ReactNode | undefined }) {
  const asked = useLocation().hash === `#${id}`;
  return (
    <h2 id={id} data-asked={asked || undefined}>
      {children}
    </h2>
  );
}

function Anchor({ href = "", children }: { href?: string | undefined; children?: ReactNode | undefined }) {
  const to = guideAddress(href);
  return to.startsWith("/") ? <Link to={to}>{children}</Link> : <a href={to}>{children}</a>;
}
