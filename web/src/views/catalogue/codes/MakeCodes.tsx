import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { addCodes, dropCodes, makeCodes } from "../../../api/codes";
import { Problem, type Schema } from "../../../api/client";
import { count, errorText } from "../../../lib/format";
import { Blank } from "../../../ui/blanks";
import { Button } from "../../../ui/button";
import { Confirm } from "../../../ui/confirm";
import { FieldError } from "../../../ui/states";
import { useNotices } from "../../../ui/toasts";

/** Makes codes by the thousand, or takes those of a list or a file. */
export function MakeCodes({ offer }: { offer: Schema["CodeOffer"] }) {
  const client = useQueryClient();
  const { tell } = useNotices();
  const [prefix, setPrefix] = useState("");
  const [length, setLength] = useState("8");
  const [number, setNumber] = useState("500");
  const [text, setText] = useState<string | null>(null);
  const [dropping, setDropping] = useState(false);
  const done = () => client.invalidateQueries({ queryKey: ["book", "codes"] });
  const make = useMutation({
    mutationFn: () => makeCodes(offer.rule, { prefix: prefix.trim(), length: whole(length), count: whole(number) }),
    onSuccess: (made) => {
      tell({ text: `Made ${count(made.added)} codes, such as ${made.example}` });
      return done();
    },
  });
  const add = useMutation({
    mutationFn: () => addCodes(offer.rule, text ?? ""),
    onSuccess: (added) => {
      if (added.bad.length > 0) return;
      setText(null);
      tell({
        text: `Took ${count(added.added)} codes${added.known > 0 ? `; ${count(added.known)} were there already` : ""}`,
      });
      return done();
    },
  });
  const drop = useMutation({ mutationFn: () => dropCodes(offer.rule, []), onSuccess: done });
  const wrong = new Map(
    make.error instanceof Problem ? make.error.details.map((d) => [d.location, d.message] as const) : [],
  );
  return (
    <div className="mt-3 rounded-[4px] border border-ink/30 px-3 py-2">
      <form
        aria-label="Make codes"
        className="leading-8"
        onSubmit={(e) => {
          e.preventDefault();
          make.mutate();
        }}
      >
        Make{" "}
        <Blank
          label="How many codes"
          inputMode="numeric"
          className="w-16 text-right"
          bad={wrong.has("count") || undefined}
          value={number}
          onChange={setNumber}
        />{" "}
        codes that begin with{" "}
        <Blank
          label="Beginning of the codes"
          className="w-24"
          placeholder="nothing"
          bad={wrong.has("prefix") || undefined}
          value={prefix}
          onChange={(t) => setPrefix(t.toUpperCase())}
        />{" "}
        and go on with{" "}
        <Blank
          label="Letters drawn"
          inputMode="numeric"
          className="w-8 text-center"
          bad={wrong.has("length") || undefined}
          value={length}
          onChange={setLength}
        />{" "}
        letters that nobody confuses{" "}
        <Button look="ink" type="submit" disabled={make.isPending}>
          {make.isPending ? "Making them …" : "Make them"}
        </Button>{" "}
        {make.error && <FieldError>{errorText(make.error)}</FieldError>}
      </form>
      <div className="flex items-center gap-2">
        {text === null && <Button onClick={() => setText("")}>Paste codes or choose a file</Button>}
        {offer.count > 0 && (
          <Button look="danger" onClick={() => setDropping(true)}>
            Drop all {count(offer.count)}
          </Button>
        )}
        {drop.error && <FieldError>{errorText(drop.error)}</FieldError>}
      </div>
      {text !== null && (
        <form
          aria-label="Bring codes in"
          className="mt-1 space-y-1.5"
          onSubmit={(e) => {
            e.preventDefault();
            add.mutate();
          }}
        >
          <textarea
            aria-label="Codes, one a line"
            className="field block h-24 w-full"
            placeholder="One code a line, or the rows of a spreadsheet with the codes first"
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
          <div className="flex items-center gap-2">
            <input
              type="file"
              accept=".csv,.txt,text/csv,text/plain"
              aria-label="File of codes"
              onChange={(e) => void e.target.files?.[0]?.text().then(setText)}
            />
            <Button look="ink" type="submit" disabled={add.isPending || text.trim() === ""}>
              Take them
            </Button>
            <Button onClick={() => setText(null)}>Leave it</Button>
          </div>
          {add.error && <FieldError>{errorText(add.error)}</FieldError>}
          {add.data && add.data.bad.length > 0 && (
            <div role="alert" className="text-bad">
              <p className="font-medium">Nothing was taken. These lines hold no code:</p>
              <ul>
                {add.data.bad.map((b) => (
                  <li key={b.line}>
                    line {b.line}, “{b.text}” {b.problem}
                  </li>
                ))}
              </ul>
            </div>
          )}
        </form>
      )}
      {dropping && (
        <Confirm
          title={`Drop all ${count(offer.count)} codes?`}
          yes="Drop them"
          no="Keep them"
          onAnswer={(yes) => {
            setDropping(false);
            if (yes) drop.mutate();
          }}
        >
          Whoever holds one of them can no longer use it. Who used one before stays known. Save them as CSV first if
          they may be wanted again.
        </Confirm>
      )}
    </div>
  );
}

const whole = (text: string) => (/^\d{1,9}$/.test(text.trim()) ? Number(text) : 0);
