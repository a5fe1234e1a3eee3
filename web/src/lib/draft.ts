import { useEffect, useState } from "react";
import { Problem } from "../api/client";

interface Kept<T> {
  etag: string;
  value: T;
}

function kept<T>(key: string): Kept<T> | null {
  try {
    const text = sessionStorage.getItem(key);
    return text ? (JSON.parse(text) as Kept<T>) : null;
  } catch {
    return null;
  }
}

/** Something that is being written over something saved. */
export interface Draft<T, Theirs> {
  value: T;
  set: (next: T | ((old: T) => T)) => void;
  /** The state of what is saved that this is based on; "" where nothing is. */
  etag: string;
  dirty: boolean;
  /** It was left unsaved and is as it was left. */
  found: boolean;
  /** What somebody else saved meanwhile; null: they deleted it; undefined: nobody did. */
  theirs: Theirs | null | undefined;
  /** Counts how often it began anew: what a form holds beside its value begins anew with it. */
  round: number;
  /** Takes what was saved, or begins anew. */
  restart: (value: T, etag: string) => void;
  /** Goes on with this over another saved state. */
  rebase: (etag: string) => void;
  /** Takes note that a save was refused; whether because of somebody else. */
  refused: (e: unknown) => boolean;
  /** Lets go of it: it was saved, or is not wanted any more. What is saved next is followed. */
  forget: () => void;
}

/**
 * A draft over what is saved. It outlives a reload of the page; saved over another state than it is based on, it is
 * refused, and both states are at hand. Two values are the same where same says so; revive makes of what was left what
 * it would be today.
 */
export function useDraft<T, Theirs = T>(
  key: string,
  saved: T,
  etag: string,
  same: (a: T, b: T) => boolean = (a, b) => JSON.stringify(a) === JSON.stringify(b),
  revive: (left: T) => T = (left) => left,
): Draft<T, Theirs> {
  const [left] = useState(() => {
    const found = kept<T>(key);
    return found && { ...found, value: revive(found.value) };
  });
  const [value, set] = useState(left?.value ?? saved);
  const [base, setBase] = useState(left?.etag ?? etag);
  const [restarted, setRestarted] = useState(false);
  const [forgotten, setForgotten] = useState(false); // and nothing written since
  const [round, setRound] = useState(0);
  // Where nothing was written over it, what is saved meanwhile, or taken back, is followed.
  const [last, setLast] = useState({ saved, etag });
  if (last.etag !== etag) {
    setLast({ saved, etag });
    if (forgotten || same(value, last.saved)) {
      set(saved);
      setForgotten(false);
      setBase(etag);
      setRound(round + 1);
    }
  }
  const [theirs, setTheirs] = useState<Theirs | null>();
  const dirty = !forgotten && !same(value, saved);
  useEffect(() => {
    if (dirty) sessionStorage.setItem(key, JSON.stringify({ etag: base, value } satisfies Kept<T>));
    else sessionStorage.removeItem(key);
  }, [dirty, key, base, value]);
  const rebase = (next: string) => {
    setBase(next);
    setTheirs(undefined);
  };
  const forget = () => {
    sessionStorage.removeItem(key);
    setForgotten(true);
  };
  return {
    value,
    set: (next) => {
      setForgotten(false);
      set(next);
    },
    etag: base,
    dirty,
    round,
    found: left !== null && dirty && !restarted,
    theirs,
    rebase,
    forget,
    restart: (next, state) => {
      sessionStorage.removeItem(key);
      setForgotten(false);
      set(next);
      setRestarted(true);
      setRound((n) => n + 1);
      rebase(state);
    },
    refused: (e) => {
      const stale = e instanceof Problem && e.status === 412;
      if (stale) setTheirs((e.now as Theirs | null | undefined) ?? null);
      return stale;
    },
  };
}
