// @vitest-environment jsdom
import { screen } from "@testing-library/react";
import { useState } from "react";
import { expect, test } from "vitest";
import type { CalendarBar } from "../../api/client";
import { page } from "../../testing/page";
import { Bar, type Ends } from "./Bar";
import { scaleOf } from "./scale";

const rule: CalendarBar = {
  code: "A/B",
  doc: {},
  etag: "1",
  from: "2026-11-10T00:00",
  to: "2026-11-20T00:00",
  name: "Quay & <clay>",
  pattern: false,
  spans: [{ from: "2026-11-10T00:00", to: "2026-11-20T00:00" }],
  status: "on",
};

const scale = scaleOf("2026-11-01T00:00", "2026-12-06T00:00", "month");

function bar(of: Partial<CalendarBar> = {}, may = true) {
  const kept: (Ends | null)[] = [];
  function Held() {
    const [draft, setDraft] = useState<Ends | null>(null);
    return (
      <Bar
        bar={{ ...rule, ...of }}
        scale={scale}
        colour="black"
        conflicts={[]}
        now="2026-11-26T09:00"
        draft={draft}
        chosen={draft !== null}
        may={may}
        onChoose={() => undefined}
        onDraft={setDraft}
        onKeep={() => kept.push(draft)}
        onLeave={() => setDraft(null)}
      />
    );
  }
  return { ...page(<Held />), kept };
}
const label = () => screen.queryByRole("button")?.getAttribute("aria-label");

test("it says its span, with the last day and not the exclusive end", () => {
  bar();
  expect(label()).toBe("Quay & <clay>, from Tue 10 Nov 00:00 through Thu 19 Nov");
});

test("arrow keys move it by days, Shift its end, Control its begin; Enter keeps", async () => {
  const { user, kept } = bar();
  await user.tab();
  await user.keyboard("{ArrowRight}");
  expect(label()).toContain("from Wed 11 Nov 00:00 through Fri 20 Nov");
  await user.keyboard("{Shift>}{ArrowRight}{/Shift}{Control>}{ArrowLeft}{/Control}");
  expect(label()).toContain("from Tue 10 Nov 00:00 through Sat 21 Nov");
  await user.keyboard("{Enter}");
  expect(kept).toEqual([{ from: "2026-11-10T00:00", to: "2026-11-22T00:00" }]);
});

test("Escape puts it back, and an end never passes its begin", async () => {
  const { user } = bar({ to: "2026-11-11T00:00" });
  await user.tab();
  await user.keyboard("{Shift>}{ArrowLeft}{/Shift}");
  expect(label()).toContain("from Tue 10 Nov 00:00 through Tue 10 Nov");
  await user.keyboard("{ArrowRight}{Escape}");
  expect(label()).toContain("from Tue 10 Nov");
});

test("a reader and a rule that has no ends of its own move nothing", async () => {
  const first = bar({}, false);
  await first.user.tab();
  await first.user.keyboard("{ArrowRight}");
  expect(label()).toContain("from Tue 10 Nov");
  first.away();
  const open: CalendarBar = { ...rule };
  delete open.from;
  delete open.to;
  const second = page(
    <Bar
      bar={{ ...open, campaign: "dark", status: "draft" }}
      scale={scale}
      colour="black"
      conflicts={[]}
      now="2026-11-26T09:00"
      draft={null}
      chosen={false}
      may
      onChoose={() => undefined}
      onDraft={() => expect.unreachable()}
      onKeep={() => expect.unreachable()}
      onLeave={() => undefined}
    />,
  );
  await second.user.tab();
  await second.user.keyboard("{ArrowRight}");
  expect(label()).toBe("Quay & <clay>, from the beginning of its campaign to the end of its campaign, draft");
});

test("what lies outside the span is not drawn", () => {
  bar({ from: "2027-03-01T00:00", to: "2027-04-01T00:00", spans: [] });
  expect(screen.queryByRole("button")).toBeNull();
});

test("a rule with an end alone is drawn from where its campaign opens it", () => {
  bar({ from: "", campaign: "autumn", spans: [{ from: "2026-11-10T00:00", to: "2026-11-20T00:00" }] });
  expect(parseFloat(screen.getByRole("button").style.left)).toBeCloseTo(scale.at("2026-11-10T00:00") * 100);
  expect(label()).toContain("from the beginning of its campaign through Thu 19 Nov");
});
