/** A class's short sign on its colour. */
import { classColour, signColour } from "../domain/classColour";

export function ClassSign({ place, sign }: { place: number | undefined; sign: string }) {
  return (
    <span
      aria-hidden="true"
      className="inline-flex h-4.5 min-w-5 items-center justify-center px-1 text-[11px] leading-none font-semibold"
      style={{ background: classColour(place), color: signColour(place) }}
    >
      {sign}
    </span>
  );
}
