/** Something is dropped on an element, anywhere on it: whether it is over it now, and what the element listens to. */
import { type DragEvent, useState } from "react";

export function useDrop(onDropped: (event: DragEvent) => void) {
  const [over, setOver] = useState(false);
  return {
    over,
    handlers: {
      onDragOver: (event: DragEvent) => {
        event.preventDefault();
        setOver(true);
      },
      // From one part of the element to the next nothing leaves it.
      onDragLeave: (event: DragEvent) => event.currentTarget === event.target && setOver(false),
      onDrop: (event: DragEvent) => {
        event.preventDefault();
        setOver(false);
        onDropped(event);
      },
    },
  };
}
