import { expect, test } from "vitest";
import { day, shortDay } from "./time";

test("a day of another year, or of none certain, keeps its year", () => {
  expect(shortDay("2026-06-14T09:00:00-05:00", "2026-11-26")).toBe("14 Jun");
  expect(shortDay("2025-09-05", "2026-11-26")).toBe("05 Sep 2025");
  expect(shortDay("2025-12-31T23:50:00-05:00", "2026-01-01")).toBe("31 Dec 2025");
  expect(shortDay("2026", "2026-11-26")).toBe("2026");
  expect(shortDay("2026-06", "2026-11-26")).toBe("Jun 2026");
  expect(day("2026-06")).toBe("Jun 2026");
});
