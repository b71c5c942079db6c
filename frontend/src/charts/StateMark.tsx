/** A search's state as a small sign that reads without colour. */
export function StateMark({ state }: { state: string }) {
  const common = { width: 12, height: 12, viewBox: "0 0 12 12", role: "img", "aria-label": state };
  switch (state) {
    case "running":
      return (
        <svg {...common} className="breathing">
          <path d="M3 1.500 10.500 6 3 10.500z" fill="var(--spruce)" />
        </svg>
      );
    case "paused":
      return (
        <svg {...common}>
          <path d="M3 2h2v8H3zM7 2h2v8H7z" fill="var(--honey)" />
        </svg>
      );
    case "failed":
      return (
        <svg {...common}>
          <path d="M2 2l8 8M10 2l-8 8" stroke="var(--ember)" strokeWidth="2" />
        </svg>
      );
    case "stopped":
      return (
        <svg {...common}>
          <rect x="2.500" y="2.500" width="7" height="7" fill="none" stroke="var(--soft)" strokeWidth="1.800" />
        </svg>
      );
    default:
      return (
        <svg {...common}>
          <path d="M1.500 6.500 5 10l5.500-8" fill="none" stroke="var(--spruce)" strokeWidth="2" />
        </svg>
      );
  }
}
