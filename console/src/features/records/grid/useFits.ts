import { useEffect, useState, type RefObject } from "react";

/** Whether what is in a box is no wider than the box: else it is scrolled sideways within it. */
export function useFits(box: RefObject<HTMLElement | null>, inner: RefObject<HTMLElement | null>): boolean {
  const [fits, setFits] = useState(false);
  useEffect(() => {
    if (box.current === null || inner.current === null) return undefined;
    const [outer, content] = [box.current, inner.current];
    const watching = new ResizeObserver(() => setFits(content.offsetWidth <= outer.clientWidth));
    watching.observe(outer);
    watching.observe(content);
    return () => watching.disconnect();
  }, [box, inner]);
  return fits;
}
