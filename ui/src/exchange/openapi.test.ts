// @vitest-environment node
import { readFileSync } from "node:fs";
import { Validator } from "@seriousme/openapi-schema-validator";
import { expect, test } from "vitest";

// The description is held against the official schema of OpenAPI 3.1.
test("the description of the API is valid", async () => {
  const description = JSON.parse(readFileSync("openapi.json", "utf8"));
  expect(description.openapi).toBe("3.1.0");
  const found = await new Validator().validate(description);
  expect(found.errors ?? []).toEqual([]);
  expect(found.valid).toBe(true);
  for (const path of ["/api/events", "/api/session", "/api/notes/{id}/pdf", "/api/documents/{id}"])
    expect(Object.keys(description.paths)).toContain(path);
});
