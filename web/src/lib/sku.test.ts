import { describe, expect, test } from "vitest";
import { fromAddress, lastPart, productPage } from "./sku";

describe("a SKU in an address", () => {
  for (const sku of ["BAT-30", "4/4 & more", "..", ".", "new", "=1+1", "==", "a%2Fb", "100%", "?x#y", "🏺 1", "طين"])
    test(`${sku} comes back as it went`, () => {
      const at = new URL("http://127.0.0.1" + productPage(sku)).pathname;
      expect(at.startsWith("/catalogue/product/")).toBe(true);
      expect(fromAddress(lastPart(at))).toBe(sku);
      expect(at).not.toBe("/catalogue/product/new");
    });
});
