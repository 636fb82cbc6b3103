/** The size that an element has on the page, as it changes. */
import { type RefCallback, useCallback, useRef, useState } from "react";

export interface Size {
  readonly width: number;
  readonly height: number;
}

export function useSize(): [RefCallback<HTMLElement>, Size | undefined] {
  const [size, setSize] = useState<Size>();
  const watched = useRef<ResizeObserver>(undefined);
  const place = useCallback((element: HTMLElement | null) => {
    watched.current?.disconnect();
    if (!element) return;
    watched.current = new ResizeObserver(() =>
      setSize({ width: element.clientWidth, height: element.clientHeight }),
    );
    watched.current.observe(element);
  }, []);
  return [place, size];
}
