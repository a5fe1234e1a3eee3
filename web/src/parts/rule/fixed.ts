import type { Form } from "./form";

/** What makes a price of single customers their own, which no other rule changes. */
export const fixing: Partial<Form> = { layer: "group", rank: "1", mayRaise: true, then: "end-price" };

/** Whether a rule is fixed for the customers whom it names. */
export const isFixed = (f: Form) =>
  f.customers.length > 0 && f.groups.length === 0 && f.mayRaise && f.then === "end-price";
