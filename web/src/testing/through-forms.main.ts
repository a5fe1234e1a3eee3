import { createInterface } from "node:readline";
import { throughForms } from "./through-forms";

// A piece a line: {"kind", "doc"}; its answer a line, in the same order.
for await (const line of createInterface({ input: process.stdin })) {
  const { kind, doc } = JSON.parse(line) as { kind: string; doc: never };
  process.stdout.write(JSON.stringify(throughForms(kind, doc)) + "\n");
}
