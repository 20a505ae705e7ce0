// What changes while something is asked for the first time is not missed.
import { QueryClient, QueryClientProvider, useQuery } from "@tanstack/react-query";
import { act, cleanup, renderHook, waitFor } from "@testing-library/react";
import type { ReactNode } from "react";
import { afterEach, expect, test } from "vitest";
import { makeOld } from "./old";

afterEach(cleanup);
const rest = () => act(() => new Promise((r) => setImmediate(r)));

function asking() {
  const client = new QueryClient({ defaultOptions: { queries: { staleTime: 60_000, retry: false } } });
  const answers: ((v: string) => void)[] = [];
  const wrapper = ({ children }: { children: ReactNode }) => (
    <QueryClientProvider client={client}>{children}</QueryClientProvider>
  );
  const { result } = renderHook(
    () => useQuery({ queryKey: ["chart", "p"], queryFn: () => new Promise<string>((r) => answers.push(r)) }),
    { wrapper },
  );
  return { client, answers, result };
}

test("a first answer given before a change is asked for again", async () => {
  const { client, answers, result } = asking();
  await rest();
  expect(answers).toHaveLength(1);
  makeOld(client, "chart", "p");
  await act(async () => answers[0]?.("as it was"));
  await rest();
  expect(answers).toHaveLength(2);
  await act(async () => answers[1]?.("as it is"));
  await rest();
  await waitFor(() => expect(result.current.data).toBe("as it is"));
});

test("an answer that is there is asked for again, and one under way again is not waited for", async () => {
  const { client, answers, result } = asking();
  await act(async () => answers[0]?.("one"));
  await waitFor(() => expect(result.current.data).toBe("one"));
  makeOld(client, "chart");
  await rest();
  makeOld(client, "chart");
  await rest();
  expect(answers).toHaveLength(3);
  await act(async () => answers[2]?.("three"));
  await act(async () => answers[1]?.("two"));
  await rest();
  await waitFor(() => expect(result.current.data).toBe("three"));
  makeOld(client, "desk");
  await rest();
  expect(answers).toHaveLength(3);
});
