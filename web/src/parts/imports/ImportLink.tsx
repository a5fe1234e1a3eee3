import { Link, useSearchParams } from "react-router";
import { addressOf } from "../../lib/address";

/** Beside a heading: the way to bring such things in from a file. */
export function ImportLink({ kind }: { kind: "agreed" | "rates" }) {
  const [params] = useSearchParams();
  return (
    <Link
      className="ml-3 text-[13px] font-normal underline underline-offset-2"
      to={addressOf("/catalogue/import", params, { file: kind })}
    >
      import from a file
    </Link>
  );
}
