import { useFacets } from "../api/board";
import type { Viewpoint } from "../api/viewpoint";
import { assumedWords } from "../lib/sentence";
import { useTyped } from "../lib/typed";
import { Pop } from "../ui/pop";
import { Button } from "../ui/button";

interface Props {
  viewpoint: Viewpoint;
  set: (change: Record<string, string | null>) => void;
}

const yesNo = { yes: true, no: false, "": undefined };

/** What is assumed of the buyer, whoever it is: the conditions by which rules tell buyers apart. */
export function BuyerConditions({ viewpoint, set }: Props) {
  const { data: facets } = useFacets();
  const country = useTyped(viewpoint.country, (text) => set({ country: text }));
  const attrs = new URLSearchParams(viewpoint.attrs);
  const first = yesNo[viewpoint.first];
  const signedIn = yesNo[viewpoint.signedIn];
  const said = assumedWords({
    country: viewpoint.country,
    ...(first !== undefined && { first }),
    ...(signedIn !== undefined && { signedIn }),
    attrs: [...attrs],
  });
  const assume = (name: string, value: string) => {
    // What the address says now, not what it said when this was drawn.
    const next = new URLSearchParams(new URLSearchParams(window.location.search).get("attrs") ?? "");
    if (value === "") next.delete(name);
    else next.set(name, value);
    set({ attrs: next.toString() });
  };
  const known = facets?.buyers ?? [];
  const names = [...new Set([...known.map((b) => b.name), ...attrs.keys()])];
  const field = "field w-full";
  return (
    <>
      {" "}
      <Pop
        label="What is assumed of the buyer"
        width={380}
        trigger={
          <button
            type="button"
            className={`blank inline-flex max-w-72 text-left ${said ? "" : "font-normal text-quiet"}`}
            aria-label={`What is assumed of the buyer: ${said || "+ conditions"}`}
          >
            <span className="truncate">{said || "+ conditions"}</span>
          </button>
        }
      >
        <div className="grid grid-cols-[112px_minmax(0,1fr)] items-center gap-x-3 gap-y-2">
          <label htmlFor="assume-first">First order</label>
          <select
            id="assume-first"
            className={field}
            value={viewpoint.first}
            onChange={(e) => set({ first: e.target.value })}
          >
            <option value="">as known of the customer</option>
            <option value="yes">yes, the first</option>
            <option value="no">no, a later one</option>
          </select>
          <label htmlFor="assume-signed-in">Signed in</label>
          <select
            id="assume-signed-in"
            className={field}
            value={viewpoint.signedIn}
            onChange={(e) => set({ "signed-in": e.target.value })}
          >
            <option value="">where a customer is named</option>
            <option value="yes">yes</option>
            <option value="no">no</option>
          </select>
          <label htmlFor="assume-country">Country</label>
          <input
            id="assume-country"
            className={field}
            list="assume-countries"
            placeholder="the channel's"
            value={country.text}
            onChange={(e) => country.type(e.target.value.toUpperCase().trim())}
            onBlur={country.done}
          />
          <datalist id="assume-countries">
            {facets?.countries.map((c) => (
              <option key={c} value={c} />
            ))}
          </datalist>
          {names.map((name, i) => {
            const value = attrs.get(name) ?? "";
            const values = known.find((b) => b.name === name)?.values ?? [];
            return (
              <div key={name} className="contents">
                <label htmlFor={`assume-attr-${i}`} className="truncate">
                  {name}
                </label>
                <select
                  id={`assume-attr-${i}`}
                  className={field}
                  value={value}
                  onChange={(e) => assume(name, e.target.value)}
                >
                  <option value="">as known of the customer</option>
                  {[...new Set([...values, ...(value ? [value] : [])])].map((v) => (
                    <option key={v} value={v}>
                      {v}
                    </option>
                  ))}
                </select>
              </div>
            );
          })}
        </div>
        {said && (
          <Button className="mt-3" onClick={() => set({ first: null, "signed-in": null, country: null, attrs: null })}>
            Assume nothing
          </Button>
        )}
      </Pop>
    </>
  );
}
