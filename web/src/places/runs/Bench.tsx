/** A page beside the Run sheet on which one ingredient is set: its settings at the left, what they do beside them. */
import type { ReactNode } from "react";
import { Button } from "../../parts/Button";

interface Props {
  title: string;
  testId: string;
  /** Beside the title: named versions, and what is to be known of all of it. */
  head: ReactNode;
  settings: ReactNode;
  settingsLabel: string;
  previewLabel: string;
  onBack: () => void;
  children: ReactNode;
}

export function Bench(props: Props) {
  return (
    <div className="flex h-full flex-col" data-testid={props.testId}>
      <header className="flex items-center gap-4 border-b border-hairline px-4 py-2">
        <Button onClick={props.onBack}>‹ Run sheet</Button>
        <h2 className="text-lg font-semibold">{props.title}</h2>
        {props.head}
      </header>
      <div className="flex min-h-0 flex-1">
        <aside
          className="flex w-[340px] shrink-0 flex-col gap-3 overflow-y-auto border-r border-hairline px-4 py-3"
          aria-label={props.settingsLabel}
        >
          {props.settings}
        </aside>
        {/* Scrolled by keys too: there may be nothing in it that takes the focus. */}
        <section
          className="min-w-0 flex-1 overflow-y-auto px-4 py-3"
          aria-label={props.previewLabel}
          // biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls is reached by keys
          tabIndex={0}
        >
          {props.children}
        </section>
      </div>
    </div>
  );
}
