import type { QueryClient } from "@tanstack/react-query";

/** makeOld says that answers under a key are old: those on the screen are asked again, others when
 * they are next shown. A first answer that is still under way may have been given before the
 * change: it is asked for once more when it is there, because it cannot be taken back. */
export function makeOld(client: QueryClient, ...queryKey: string[]) {
  for (const q of client.getQueryCache().findAll({ queryKey })) {
    if (q.state.data === undefined && q.state.fetchStatus === "fetching")
      void q.fetch().then(
        () => client.invalidateQueries({ queryKey: q.queryKey, exact: true }),
        () => {}, // what was refused is asked again by whoever shows it
      );
  }
  void client.invalidateQueries({ queryKey });
}
