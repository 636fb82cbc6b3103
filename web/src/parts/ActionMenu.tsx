/** A menu of what can be done with something. */
import { Menu, MenuButton, MenuItem, MenuItems } from "@headlessui/react";

export interface MenuAction {
  readonly words: string;
  readonly act: () => void;
  /** It takes something away. */
  readonly danger?: boolean;
}

interface Props {
  words: string;
  /** Read aloud; it holds the words. */
  label: string;
  className: string;
  title?: string | undefined;
  anchor: "bottom start" | "bottom end";
  actions: readonly MenuAction[];
}

export function ActionMenu({ words, label, className, title, anchor, actions }: Props) {
  return (
    <Menu>
      <MenuButton className={className} title={title} aria-label={label}>
        {words}
      </MenuButton>
      <MenuItems
        anchor={anchor}
        className="shadow-float z-40 border border-hairline bg-surface py-1 outline-none"
      >
        {actions.map((action) => (
          <MenuItem key={action.words}>
            <button
              type="button"
              className={`block w-full cursor-pointer px-3 py-1 text-left data-focus:bg-choice-wash ${action.danger ? "text-wrong" : ""}`}
              onClick={action.act}
            >
              {action.words}
            </button>
          </MenuItem>
        ))}
      </MenuItems>
    </Menu>
  );
}
