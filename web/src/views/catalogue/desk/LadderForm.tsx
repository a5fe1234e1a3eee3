import { useState } from "react";
import { BreaksControl } from "../../../parts/rule/BreaksControl";
import type { Place } from "../../../parts/rule/form";
import { readLadder, writeLadder } from "./forms";
import type { FormProps } from "./ItemDesk";

/** Quantity breaks that many rules share. */
export function LadderForm({ doc, set, errorAt }: FormProps<"ladders">) {
  const [form, setForm] = useState(() => readLadder(doc));
  const errors = new Map<Place, string>();
  for (const place of ["breaks", "method", "count", "measure"] as const) {
    const e = errorAt(place);
    if (e) errors.set(place, e);
  }
  return (
    <BreaksControl
      ladder
      form={form}
      errors={errors}
      change={(part) => {
        const next = { ...form, ...part };
        setForm(next);
        set(writeLadder(next));
      }}
    />
  );
}
