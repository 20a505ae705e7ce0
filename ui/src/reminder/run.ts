// A run over the whole practice: begun, followed to its end.
import { useEffect, useRef, useState } from "react";
import { api, got, type Schemas, say } from "../exchange/client";

/** useRun begins runs over the practice, one at a time, and follows the last. */
export function useRun() {
  const [run, setRun] = useState<Schemas["Run"]>();
  const [wrong, setWrong] = useState("");
  const id = run?.ended === false ? run.id : "";
  useEffect(() => {
    if (!id) return;
    let stop = false;
    const follow = async () => {
      try {
        const now = await got(api.GET("/api/practice/runs/{id}", { params: { path: { id } } }));
        if (stop) return;
        setRun(now);
        if (!now.ended) setTimeout(follow, 300);
      } catch (e) {
        if (!stop) setWrong(say(e));
      }
    };
    void follow();
    return () => {
      stop = true;
    };
  }, [id]);
  const last = useRef(0);
  const before = useRef<Promise<unknown>>(Promise.resolve());
  // What is looked for changes faster than the server answers: runs are begun in the order in which they were asked for, what was
  // asked meanwhile is left out, and only the last one is shown.
  async function begin(wanted: Schemas["Wanted"]) {
    const mine = ++last.current;
    setWrong("");
    await before.current;
    if (mine !== last.current) return;
    const asked = got(api.POST("/api/practice/runs", { body: wanted }));
    before.current = asked.catch(() => undefined);
    try {
      const run = await asked;
      if (mine === last.current) setRun(run);
    } catch (e) {
      if (mine !== last.current) return;
      setRun(undefined);
      setWrong(say(e));
    }
  }
  return { run, begin, wrong };
}
