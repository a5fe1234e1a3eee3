import type { DocError } from "../../api/client";
import { Blank } from "../../ui/blanks";
import { FieldError } from "../../ui/states";
import type { OrderForm } from "./offer-form";

interface Props {
  order: OrderForm;
  errors: DocError[];
  onChange: (order: OrderForm) => void;
}

const parts = [
  ["min", "at least", "pieces"],
  ["multiple", "by the", "(6, 12, 18 …)"],
  ["max", "at most", "pieces"],
  ["perCustomer", "and by one customer over time at most", ""],
] as const;

/** What may be ordered of one product: least, multiple, most, and most a customer. */
export function OrderControl({ order, errors, onChange }: Props) {
  return (
    <p data-testid="order">
      Of each product an order holds{" "}
      {parts.map(([key, before, after], i) => {
        const wrong = errors.find((e) => e.path === `order.${key}`);
        const multiple = Number(order.multiple);
        const words =
          key === "multiple"
            ? Number.isInteger(multiple) && multiple > 1
              ? `(${multiple}, ${2 * multiple}, ${3 * multiple} …)`
              : ""
            : after;
        return (
          <span key={key}>
            {i > 0 && ", "}
            {before}{" "}
            <Blank
              label={`${before} ${key === "multiple" ? "multiple" : after}`.trim()}
              inputMode="numeric"
              className="w-12 text-center"
              placeholder="–"
              bad={wrong !== undefined || undefined}
              value={order[key]}
              onChange={(value) => onChange({ ...order, [key]: value })}
            />{" "}
            {words}
            {wrong && <FieldError> {wrong.problem.charAt(0).toUpperCase() + wrong.problem.slice(1)}. </FieldError>}
          </span>
        );
      })}
    </p>
  );
}
