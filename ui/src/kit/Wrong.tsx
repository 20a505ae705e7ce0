/** Wrong says what went wrong, aloud to those who listen. */
export function Wrong({ says, as: Tag = "p", className = "" }: { says: string; as?: "p" | "span"; className?: string }) {
  return (
    <Tag role="alert" className={`text-alarm ${className}`}>
      {says}
    </Tag>
  );
}
