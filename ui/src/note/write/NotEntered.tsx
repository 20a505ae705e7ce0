import { useLeftWords } from "../../frame/left";

/** NotEntered says which words were typed in a panel and left there: they are not in the note. */
export function NotEntered<T = string>({
  about,
  say,
  run,
  className = "",
}: {
  about: string;
  say?: (v: T) => string;
  run: () => void;
  className?: string;
}) {
  const words = useLeftWords(about, say);
  if (words === "") return null;
  return (
    <p role="status" className={`text-aside text-carried ${className}`}>
      Typed and not entered: “{words}”{" "}
      <button type="button" className="plain py-0 text-aside" onClick={run}>
        Go on with it
      </button>
    </p>
  );
}
