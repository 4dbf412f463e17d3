/** The barred feather: the only ornament. */
export function Feather() {
  return (
    <svg viewBox="0 0 24 36" className="h-8 w-5" fill="none" strokeLinecap="round" aria-hidden>
      {[7, 13, 19, 25, 31].map((y, i) => (
        <path
          key={y}
          d={`M3 ${y}q9 -6 18 0`}
          strokeWidth="2.4"
          stroke={i % 2 ? "var(--quiet)" : "var(--voice)"}
        />
      ))}
    </svg>
  );
}
