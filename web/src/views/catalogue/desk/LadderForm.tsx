import { useState } from "react";
import type { Rule } from "../../../api/client";
import { BreaksControl } from "../../../parts/rule/BreaksControl";
import { readForm, writeForm, type Form, type Place } from "../../../parts/rule/form";
import type { FormProps } from "./ItemDesk";

/** Quantity breaks that many rules share. */
export function LadderForm({ doc, set, errorAt }: FormProps) {
  const [form, setForm] = useState<Form>(() =>
    readForm({
      ...(doc as unknown as Partial<Rule>),
      code: doc.code,
      layer: "tier",
      rank: 1,
      where: { all: [] },
    }),
  );
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
        const { breaks, method, count, measure } = writeForm(next);
        set({ breaks: breaks ?? [], method, count, measure });
      }}
    />
  );
}
