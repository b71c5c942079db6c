/** Says that a field opens: two strokes of a pen, in the colour of the text beside it. */
export function Chevron({ className }: { className?: string }) {
  return (
    <svg className={className} width="12" height="12" viewBox="0 0 12 12" aria-hidden>
      <path d="M2 4.5 5.6 8.4 10 3.2" fill="none" stroke="currentColor" strokeWidth="1.4" strokeLinecap="round" />
    </svg>
  );
}
