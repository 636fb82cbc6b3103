/** A part of the Run sheet: what it is set to in a line, as a picture, and what can be changed once it is opened. */
import { Disclosure, DisclosureButton, DisclosurePanel } from "@headlessui/react";
import { type ReactNode, useEffect, useRef } from "react";

interface Props {
  title: string;
  words: string;
  picture?: ReactNode;
  /** The address names this part, so it is open and in sight from the beginning. */
  asked?: boolean;
  children: ReactNode;
}

export function Part(props: Props) {
  const place = useRef<HTMLElement>(null);
  useEffect(() => {
    if (props.asked) place.current?.scrollIntoView();
  }, [props.asked]);
  return (
    <Disclosure
      as="section"
      ref={place}
      defaultOpen={!!props.asked}
      className="border-b border-hairline py-2 last:border-0"
    >
      {({ open }) => (
        <>
          <DisclosureButton className="flex w-full cursor-pointer items-baseline gap-2 text-left">
            <span className="font-semibold">{props.title}</span>
            <span className="min-w-0 flex-1 truncate text-sm text-quiet" title={props.words}>
              {props.words}
            </span>
            <span className="text-sm text-choice">{open ? "less" : "change"}</span>
          </DisclosureButton>
          {props.picture && <div className="mt-1.5">{props.picture}</div>}
          <DisclosurePanel className="mt-2">{props.children}</DisclosurePanel>
        </>
      )}
    </Disclosure>
  );
}
