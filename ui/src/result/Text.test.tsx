import { render, screen } from "@testing-library/react";
import { expect, test } from "vitest";
import { Text } from "./Text";

const section = { heading: "IMPRESSION", text: "", was: "", side: "", status: "", live: true, notes: "", differs: true };

test("what was taken away and what was added are told, and nothing of either text is lost", () => {
  const was = "1. No acute change.\n2. Heart size normal.";
  const text = "1. Nodule of 7 mm.\n2. Heart size normal.";
  const { container } = render(<Text section={{ ...section, was, text }} />);
  const of = (tag: string) =>
    [...container.querySelectorAll(`p ${tag}`)]
      .map((e) => (e.textContent ?? "").replace(/^\[(added|taken away): |\]$/g, ""))
      .join("");
  const same = [...container.querySelectorAll("p > span")].map((e) => e.textContent).join("");
  expect(of("del").replace(/\s/g, "").length + same.replace(/\s/g, "").length).toBe(was.replace(/\s/g, "").length);
  expect(of("ins").replace(/\s/g, "").length + same.replace(/\s/g, "").length).toBe(text.replace(/\s/g, "").length);
  expect(screen.getByText("changed since the issue before")).toBeTruthy();
});

test("a text that is no longer there is told as such", () => {
  const { container } = render(<Text section={{ ...section, was: "No fracture.", text: "" }} />);
  expect(screen.getByText("no longer in it")).toBeTruthy();
  expect(container.querySelector("del")?.textContent).toContain("No fracture.");
});
