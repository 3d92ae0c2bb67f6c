export function Mark() {
  return (
    <svg width="24" height="24" viewBox="0 0 32 32" aria-hidden>
      <path d="M2 28 30 28 30 12z" fill="var(--r-accent)" />
      <rect x="17" y="5" width="8" height="8" rx="1.5" fill="#e8a33d" />
    </svg>
  );
}
