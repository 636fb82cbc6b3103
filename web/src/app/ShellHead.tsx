/** A project's top edge: where one is, the four places, and what belongs to all of them. */
import { Link, NavLink } from "react-router";
import { PLACES } from "./places";
import { ThemeSwitch } from "./ThemeSwitch";
import { Tray } from "./Tray";

interface Props {
  name: string;
  /** What the address takes along to another place. */
  search: string;
  onKeys: () => void;
}

export function ShellHead({ name, search, onKeys }: Props) {
  return (
    <header className="flex items-stretch border-b border-hairline pl-4 pr-2">
      <Link to="/" className="flex items-center pr-2 text-quiet hover:text-ink" title="All projects">
        Projects
      </Link>
      <span className="flex items-center text-quiet">/</span>
      <h1 className="flex max-w-[260px] items-center truncate px-2 font-semibold">{name}</h1>
      <nav aria-label="Places" className="ml-6 flex flex-1 items-stretch gap-1">
        {PLACES.map((place) => (
          <NavLink
            key={place.path}
            to={{ pathname: place.path, search }}
            title={`${place.name} (g ${place.key})`}
            className={({ isActive }) =>
              `flex items-center border-b-2 px-3 py-2 ${
                isActive ? "border-choice font-semibold" : "border-transparent text-quiet hover:text-ink"
              }`
            }
          >
            {place.name}
          </NavLink>
        ))}
      </nav>
      <div className="flex items-center gap-1">
        <Tray />
        <button
          type="button"
          onClick={onKeys}
          className="cursor-pointer px-2 text-quiet hover:text-ink"
          title="Keys of this place (?)"
        >
          Keys
        </button>
        <ThemeSwitch />
      </div>
    </header>
  );
}
