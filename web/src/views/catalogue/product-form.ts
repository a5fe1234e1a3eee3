/** Named values of a document, such as attributes and price levels, as rows of a form. */
export interface Pair {
  key: string;
  value: string;
}

export const pairs = (o: unknown): Pair[] =>
  Object.entries((o ?? {}) as Record<string, unknown>).map(([key, value]) => ({ key, value: String(value) }));

/** The values of the rows; one that was a number and is written as before stays a number. */
export const unpair = (list: Pair[], was: unknown): Record<string, unknown> | undefined => {
  const before = (was ?? {}) as Record<string, unknown>;
  const rows = list.filter((p) => p.key.trim() !== "" && p.value.trim() !== "");
  if (rows.length === 0) return undefined;
  return Object.fromEntries(
    rows.map(({ key, value }) => [key, String(before[key]) === value ? before[key] : value.trim()] as const),
  );
};

/** An option of a product: what it adds to the price, and to which part. */
export interface OptionForm {
  code: string;
  price: string;
  part: string;
}

export const readOptions = (options: readonly { code: string; price: string; part?: string }[] = []): OptionForm[] =>
  options.map(({ code, price, part = "" }) => ({ code, price, part }));

export const writeOptions = (list: OptionForm[]) =>
  list
    .filter((o) => o.code.trim() + o.price.trim() !== "")
    .map((o) => ({ code: o.code, price: o.price.trim(), ...(o.part && { part: o.part }) }));
