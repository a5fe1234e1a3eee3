import { errorText } from "../lib/format";
import { Button } from "./button";

/** What a view shows when it has nothing: why, and the next step. */
export function Empty({ title, children }: { title: string; children?: React.ReactNode }) {
  return (
    <div className="mx-auto max-w-[56ch] px-6 py-14 text-center">
      <p className="text-[17px] font-semibold">{title}</p>
      {children && <div className="mt-2 text-quiet">{children}</div>}
    </div>
  );
}

/** What a view shows when its data cannot be had. */
export function Failed({ error, retry }: { error: unknown; retry?: () => void }) {
  return (
    <div role="alert" className="mx-auto max-w-[60ch] px-6 py-14 text-center">
      <p className="text-[17px] font-semibold text-bad">{errorText(error)}</p>
      {retry && (
        <Button className="mt-4" onClick={retry}>
          Try again
        </Button>
      )}
    </div>
  );
}

/** An error beside the control that it is about. */
export function FieldError({ id, children }: { id?: string; children?: React.ReactNode }) {
  if (!children) return null;
  return (
    <span id={id} role="alert" className="font-medium text-bad">
      {children}
    </span>
  );
}
