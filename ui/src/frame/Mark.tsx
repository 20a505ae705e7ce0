/** Mark is our sign: a book seen from the front, its spine filled. */
export function Mark() {
  return (
    <svg width="20" height="22" viewBox="0 0 20 22" aria-hidden="true">
      <rect x="1" y="1" width="17" height="19" className="fill-leaf stroke-kelp" strokeWidth="1.4" />
      <rect x="1" y="1" width="5" height="19" className="fill-kelp" />
    </svg>
  );
}
