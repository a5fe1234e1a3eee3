import { useEffect, useRef, useState } from "react";

/**
 * What is typed belongs to the field; whoever keeps it (an address, a query) follows a little later. A value that was not
 * typed here, such as one of the way back, takes the field over. Where keep gives false, what was typed was not kept.
 */
export function useTyped(kept: string, keep: (text: string) => unknown, wait = 120) {
  const [text, setText] = useState(kept);
  const sent = useRef<string[]>([]); // what was handed over and has not come back yet, the newest last
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined);
  const latest = useRef(keep);
  useEffect(() => {
    latest.current = keep;
  });
  useEffect(() => {
    const echo = sent.current.lastIndexOf(kept);
    if (echo >= 0) sent.current = sent.current.slice(echo + 1);
    else if (sent.current.length === 0 && timer.current === undefined) setText(kept);
  }, [kept]);
  const hand = (value: string) => {
    clearTimeout(timer.current);
    timer.current = undefined;
    sent.current.push(value);
    if (latest.current(value) === false) sent.current.pop();
  };
  useEffect(() => () => clearTimeout(timer.current), []);
  return {
    text,
    type: (value: string) => {
      setText(value);
      clearTimeout(timer.current);
      timer.current = setTimeout(() => hand(value), wait);
    },
    /** Hands over at once what was typed. */
    done: () => timer.current !== undefined && hand(text),
  };
}
