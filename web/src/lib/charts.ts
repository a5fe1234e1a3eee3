import { line } from "d3-shape";
import { useEffect, useState, type RefObject } from "react";

/** A value that holds from one place to another; NaN where there is none. */
export interface Held {
  from: number;
  to: number;
  value: number;
}

/** The path of values that hold for a while each: level while one holds, upright where the next begins at once. */
export function stepPath(steps: Held[], y: (value: number) => number): string {
  const points = steps.flatMap(({ from, to, value }): [number, number][] => [
    [from, value],
    [to, value],
  ]);
  return (
    line()
      .defined(([, value]) => !Number.isNaN(value))
      .x(([x]) => x)
      .y(([, value]) => y(value))(points) ?? ""
  );
}

/** The width of an element as it is drawn, in pixels; 0 before that. */
export function useWidth(of: RefObject<HTMLElement | null>): number {
  const [width, setWidth] = useState(0);
  useEffect(() => {
    const element = of.current;
    if (!element) return;
    const observer = new ResizeObserver(([entry]) => {
      if (entry) setWidth(Math.floor(entry.contentRect.width));
    });
    observer.observe(element);
    return () => {
      observer.disconnect();
    };
  }, [of]);
  return width;
}
