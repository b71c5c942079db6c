import { useEffect, useRef, useState } from "react";

/** The width of an element in CSS pixels, followed as it changes. */
export function useWidth<T extends Element>(initial = 600) {
  const ref = useRef<T>(null);
  const [width, setWidth] = useState(initial);
  useEffect(() => {
    const element = ref.current;
    if (!element) return;
    const observer = new ResizeObserver(([entry]) => setWidth(Math.max(entry!.contentRect.width, 50)));
    observer.observe(element);
    return () => observer.disconnect();
  }, []);
  return [ref, width] as const;
}
