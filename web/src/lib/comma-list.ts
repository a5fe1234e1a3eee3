/** Texts as they are typed into one field: with commas between them, in quotes where one holds a comma itself. */
export const commaList = (items: readonly string[]) =>
  items.map((s) => (/[,"]|^\s|\s$|^$/.test(s) ? `"${s.replaceAll('"', '""')}"` : s)).join(", ");

/** The texts of such a field. A quote that was opened and not yet closed holds all that follows. */
export function fromCommaList(typed: string): string[] {
  const items: string[] = [];
  const one = /\s*(?:"((?:[^"]|"")*)(?:"|$)[^,]*|([^,]*))(?:,|$)/y;
  while (one.lastIndex < typed.length) {
    const [, quoted, plain = ""] = one.exec(typed) ?? [];
    const item = quoted?.replaceAll('""', '"') ?? plain.trim();
    if (item !== "" || quoted !== undefined) items.push(item);
  }
  return items;
}
