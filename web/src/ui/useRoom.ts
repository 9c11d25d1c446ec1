// How much room an element has, in CSS pixels, kept up to date.

import { useLayoutEffect, useRef, useState, type RefObject } from "react";

export function useRoom(): [RefObject<HTMLDivElement | null>, { width: number; height: number }] {
  const area = useRef<HTMLDivElement>(null);
  const [room, setRoom] = useState({ width: 0, height: 0 });
  useLayoutEffect(() => {
    const element = area.current;
    if (!element) return;
    const observer = new ResizeObserver(() =>
      setRoom({ width: element.clientWidth, height: element.clientHeight }),
    );
    observer.observe(element);
    return () => observer.disconnect();
  }, []);
  return [area, room];
}
