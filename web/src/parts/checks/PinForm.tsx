import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Pin } from "lucide-react";
import { useState, type ReactNode } from "react";
import { pinCheck } from "../../api/checks";
import { useMay } from "../../api/session";
import type { CheckRow } from "../../api/client";
import type { Viewpoint } from "../../api/viewpoint";
import { errorText } from "../../lib/format";
import { useKeys } from "../../lib/keys";
import { Button } from "../../ui/button";
import { DecimalInput } from "../../ui/decimal-input";
import { FieldError } from "../../ui/states";

interface Props {
  /** What is pinned: "price" or "basket". */
  what: string;
  /** What the button says before anything is pinned. */
  verb: string;
  viewpoint: Viewpoint;
  /** What the check is called, and what it expects, as long as nobody writes otherwise. */
  title: string;
  value: string;
  /** How the value is called, and what an empty one means; undefined where it must not be empty. */
  valueName: string;
  empty?: string;
  about: (value: string) => ReactNode;
  /** The check that expects a value. */
  doc: (value: string) => CheckRow["doc"];
  /** A key that begins it. */
  byKey?: string;
}

/** Pins what is seen: it is checked at every change from then on. */
export function PinForm({ what, verb, viewpoint, title, value, valueName, empty, about, doc, byKey }: Props) {
  const may = useMay("manager");
  const client = useQueryClient();
  const [open, setOpen] = useState(false);
  const [name, setName] = useState("");
  const [wanted, setWanted] = useState("");
  const pin = useMutation({
    mutationFn: () => pinCheck({ name, doc: doc(wanted.trim()) }),
    onSuccess: async () => {
      setOpen(false);
      await client.invalidateQueries({ queryKey: ["book", "checks"] });
    },
  });
  const start = () => {
    pin.reset();
    setName(title.slice(0, 200));
    setWanted(value);
    setOpen(true);
  };
  useKeys(byKey ? { [byKey]: () => may && start() } : {});
  if (!may) return null;
  if (!open)
    return (
      <Button look="bare" className="ml-auto" onClick={start}>
        <Pin size={13} aria-hidden /> {pin.isSuccess ? "Pinned" : verb}
      </Button>
    );
  return (
    <form
      aria-label={`Pin this ${what}`}
      className="mt-2 w-full space-y-1.5 rounded-[4px] border border-ink/40 px-3 py-2 text-[14px]"
      onSubmit={(e) => {
        e.preventDefault();
        pin.mutate();
      }}
    >
      <p className="text-quiet">{about(wanted)}</p>
      {viewpoint.attrs !== "" && (
        <FieldError>
          A pinned {what} cannot assume what a customer is like: ask for a customer who is, then pin that.
        </FieldError>
      )}
      <input
        aria-label="What is expected"
        className="field w-full"
        maxLength={200}
        value={name}
        onChange={(e) => setName(e.target.value)}
      />
      <div className="flex items-center gap-2">
        <DecimalInput
          aria-label={valueName}
          placeholder={empty}
          className="field w-24 text-right"
          value={wanted}
          onChange={setWanted}
        />
        <Button
          look="ink"
          type="submit"
          disabled={pin.isPending || viewpoint.attrs !== "" || (empty === undefined && wanted.trim() === "")}
        >
          Pin the {what}
        </Button>
        <Button onClick={() => setOpen(false)}>Leave it</Button>
      </div>
      <FieldError>{pin.error ? errorText(pin.error) : undefined}</FieldError>
    </form>
  );
}
