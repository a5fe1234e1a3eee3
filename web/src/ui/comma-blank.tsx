import { useState } from "react";
import { commaList, fromCommaList } from "../lib/comma-list";
import { alike } from "../lib/patch";
import { Blank } from "./blanks";

interface Props {
  label: string;
  items: readonly string[];
  placeholder?: string;
  className?: string;
  bad?: boolean;
  readOnly?: boolean;
  onChange: (items: string[]) => void;
}

/** Several texts in one blank, with commas between them; what is typed stays as it is typed. */
export function CommaBlank({ items, onChange, ...rest }: Props) {
  const [text, setText] = useState(() => commaList(items));
  const shown = alike(fromCommaList(text), items) ? text : commaList(items);
  return (
    <Blank
      {...rest}
      hint="with commas between them; in quotes where one has a comma itself"
      value={shown}
      onChange={(typed) => {
        setText(typed);
        onChange(fromCommaList(typed));
      }}
    />
  );
}
