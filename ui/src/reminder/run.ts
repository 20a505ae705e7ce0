// A run over the whole practice: begun, followed to its end.
import { useEffect, useState } from "react";
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
  async function begin(wanted: Schemas["Wanted"]) {
    setWrong("");
    try {
      setRun(await got(api.POST("/api/practice/runs", { body: wanted })));
    } catch (e) {
      setRun(undefined);
      setWrong(say(e));
    }
  }
  return { run, begin, wrong };
}
