import { Fragment, useState } from "react";
import { useItems } from "../../api/items";
import { useProgramState } from "../../api/state";
import { Add, Blank, Choice, Out } from "../../ui/blanks";
import { PickMany } from "../../ui/pick-many";
import { FieldError } from "../../ui/states";
import type { Form, Place } from "./form";

interface Props {
  form: Form;
  errors: Map<Place, string>;
  change: (part: Partial<Form>) => void;
  /** Whether it may ask for a least quantity of a line: campaigns, offers and orders have none. */
  pieces?: boolean;
}

/** For whom, where, and from how many pieces on. */
export function WhoControl({ form, errors, change, pieces = true }: Props) {
  const { data: state } = useProgramState();
  const { data: groups } = useItems("groups");
  const { data: customers } = useItems("customers");
  const [more, setMore] = useState(
    form.countries !== "" || form.attrs.length > 0 || form.firstOrder !== "" || form.signedIn !== "",
  );
  const name = (list: typeof groups, code: string) => list?.find((i) => i.code === code)?.name || code;
  const yesNo = [
    ["", "whether or not"],
    ["yes", "only if"],
    ["no", "only if not"],
  ] as const;
  return (
    <>
      <p>
        for{" "}
        <PickMany
          label="Group"
          options={(groups ?? []).map((g) => g.code)}
          chosen={form.groups}
          empty={form.customers.length > 0 ? "no group" : "everyone"}
          show={(c) => name(groups, c)}
          leftEmpty={form.customers.length > 0 ? "" : "No group was chosen: it is for everyone."}
          onChange={(list) => change({ groups: list })}
        />{" "}
        {(form.groups.length > 0 || form.customers.length > 0) && "and "}
        <PickMany
          label="Customer"
          options={(customers ?? []).map((c) => c.code)}
          chosen={form.customers}
          empty="+ single customers"
          show={(c) => name(customers, c)}
          leftEmpty={form.groups.length > 0 ? "No customer was chosen." : "No customer was chosen: it is for everyone."}
          onChange={(list) => change({ customers: list })}
        />{" "}
        in{" "}
        <Choice
          label="In which channels"
          value={form.channels ? "some" : "every"}
          options={[
            ["every", "every channel"],
            ["some", "these channels only"],
          ]}
          onChange={(v) => change({ channels: v === "some" ? [] : null })}
        />
        {form.channels && (
          <span className="ml-2 inline-flex flex-wrap gap-x-3 text-[14px]">
            {(state?.channels ?? []).map((c) => (
              <label key={c.code} className="inline-flex items-center gap-1.5">
                <input
                  type="checkbox"
                  className="accent-ink"
                  checked={form.channels?.includes(c.code) ?? false}
                  onChange={(e) =>
                    change({
                      channels: e.target.checked
                        ? [...(form.channels ?? []), c.code]
                        : (form.channels ?? []).filter((x) => x !== c.code),
                    })
                  }
                />
                {c.name}
              </label>
            ))}
          </span>
        )}
        {pieces && (
          <>
            , for lines of at least{" "}
            <Blank
              label="Least quantity"
              inputMode="numeric"
              className="w-12 text-center"
              bad={errors.has("minQuantity")}
              value={form.minQuantity}
              onChange={(minQuantity) => change({ minQuantity })}
            />
          </>
        )}{" "}
        {!more && <Add onClick={() => setMore(true)}>first order, country …</Add>}{" "}
        <FieldError>{errors.get("audience") ?? errors.get("channels") ?? errors.get("minQuantity")}</FieldError>
      </p>
      {more && (
        <p>
          <Choice
            label="First order"
            value={form.firstOrder}
            options={yesNo}
            onChange={(firstOrder) => change({ firstOrder })}
          />{" "}
          it is the first order,{" "}
          <Choice
            label="Signed in"
            value={form.signedIn}
            options={yesNo}
            onChange={(signedIn) => change({ signedIn })}
          />{" "}
          signed in, in the countries{" "}
          <Blank
            label="Countries"
            className="w-24"
            placeholder="all"
            value={form.countries}
            onChange={(countries) => change({ countries })}
          />
          {(form.attrs.length > 0 ? form.attrs : [{ name: "", values: "" }]).map((attr, i, all) => {
            const which = i === 0 ? "" : ` ${i + 1}`;
            const put = (part: Partial<typeof attr>) =>
              change({ attrs: all.map((a, k) => (k === i ? { ...a, ...part } : a)) });
            return (
              <Fragment key={i}>
                {i === 0 ? ", whose " : " and whose "}
                <Blank
                  label={`Attribute of the customer${which}`}
                  className="w-24"
                  placeholder="attribute"
                  value={attr.name}
                  onChange={(name) => put({ name })}
                />{" "}
                is{" "}
                <Blank
                  label={`Values of the customer's attribute${which}`}
                  className="w-28"
                  placeholder="anything"
                  value={attr.values}
                  onChange={(values) => put({ values })}
                />
                {all.length > 1 && (
                  <Out
                    label={`Do not ask for ${attr.name || "this attribute"}`}
                    onClick={() => change({ attrs: all.filter((_, k) => k !== i) })}
                  />
                )}
              </Fragment>
            );
          })}{" "}
          {form.attrs.length > 0 && (
            <Add onClick={() => change({ attrs: [...form.attrs, { name: "", values: "" }] })}>another attribute</Add>
          )}
          <Out
            label="Do not narrow further"
            onClick={() => {
              setMore(false);
              change({ firstOrder: "", signedIn: "", countries: "", attrs: [] });
            }}
          />
        </p>
      )}
    </>
  );
}
