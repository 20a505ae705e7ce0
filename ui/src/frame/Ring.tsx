/** Ring shows how far something is, beside the word that says it. */
export function Ring({ of }: { of: number }) {
  const r = 3.5;
  const c = 2 * Math.PI * r;
  return (
    <svg width="16" height="16" viewBox="0 0 16 16" aria-hidden="true" className="-mt-0.5 inline-block shrink-0">
      <circle cx="8" cy="8" r="6.6" className="fill-leaf stroke-kelp" strokeWidth="1.6" />
      {of > 0 && (
        <circle
          cx="8"
          cy="8"
          r={r}
          fill="none"
          className="stroke-kelp"
          strokeWidth={2 * r}
          strokeDasharray={`${(c * of) / 4} ${c}`}
          transform="rotate(-90 8 8)"
        />
      )}
    </svg>
  );
}
