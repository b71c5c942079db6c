import { useCallback, useState } from "react";

/** The width of an element in CSS pixels, followed as it changes; also of one that comes later than the first drawing. */
export function useWidth(initial = 600) {
  const [width, setWidth] = useState(initial);
  const ref = useCallback((element: HTMLDivElement | null) => {
    if (!element) return;
    const observer = new ResizeObserver(([entry]) => setWidth(Math.max(entry!.contentRect.width, 50)));
    observer.observe(element);
    return () => observer.disconnect();
  }, []);
  return [ref, width] as const;
}
