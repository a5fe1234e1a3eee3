/**
 * A SKU as the last part of an address. A browser takes "." and ".." for steps and "new" is a page of its own: those, and
 * what begins with "=", are written behind a "=".
 */
export const inAddress = (sku: string) => (/^(\.{1,2}|new|=.*)$/s.test(sku) ? "=" + sku : sku);

/** The SKU that an address names. */
export const fromAddress = (part: string) => (part.startsWith("=") ? part.slice(1) : part);

/** The page of a product. */
export const productPage = (sku: string) => `/catalogue/product/${encodeURIComponent(inAddress(sku))}`;

/** The last part of an address as it was meant. The router's own parameters take a written "%2F" for a slash. */
export function lastPart(pathname: string): string {
  const part = pathname.slice(pathname.lastIndexOf("/") + 1);
  try {
    return decodeURIComponent(part);
  } catch {
    return part;
  }
}
