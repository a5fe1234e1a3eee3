import { cleanup, configure } from "@testing-library/react";
import { afterEach } from "vitest";
import { answer } from "./server";

// A page of the tests asks the answers that a test has laid out, under an address like a browser's.
const Base = globalThis.Request;
globalThis.Request = class extends Base {
  constructor(input: RequestInfo | URL, init?: RequestInit) {
    super(typeof input === "string" ? new URL(input, "http://dogbane.test") : input, init);
  }
};
globalThis.fetch = (input, init) => answer(new Request(input, init));

// What was sought, without the whole page.
configure({ asyncUtilTimeout: 10_000, getElementError: (message) => new Error((message ?? "").split("\n\n")[0]) });

if (typeof window !== "undefined") {
  // What a browser has and jsdom lacks; nothing here is drawn.
  globalThis.ResizeObserver = class {
    observe() {}
    unobserve() {}
    disconnect() {}
  };
  Object.defineProperty(Element.prototype, "clientHeight", { get: () => 600 });
  Object.defineProperty(Element.prototype, "clientWidth", { get: () => 900 });
  Element.prototype.scrollIntoView = () => undefined;
  Element.prototype.hasPointerCapture = () => false;
  afterEach(() => {
    cleanup();
    sessionStorage.clear();
    localStorage.clear();
  });
}
