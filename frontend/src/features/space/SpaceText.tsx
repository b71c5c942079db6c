import { useRef } from "react";
import type { Refusal, Schemas } from "../../api/client";

interface Props {
  text: string;
  onText: (text: string) => void;
  checked: Schemas["SpaceView"] | null;
  refusal: Refusal | null;
}

const LINE = 21;

/** Space notation, editable; a mistake is shown at its line with a caret and what would be accepted there. */
export function SpaceText({ text, onText, checked, refusal }: Props) {
  const lines = text.split("\n");
  const numbers = useRef<HTMLDivElement>(null);
  const wrong = checked?.error ? checked.line : null;
  return (
    <div className="col">
      <div className="sheet space-text" style={{ borderColor: wrong ? "var(--ember)" : undefined }}>
        <div ref={numbers} aria-hidden className="mono soft right sunk" style={{ lineHeight: `${LINE}px` }}>
          {lines.map((_, i) => (
            <div
              key={i}
              style={{
                background: wrong === i + 1 ? "var(--ember-tint)" : undefined,
                color: wrong === i + 1 ? "var(--ember)" : undefined,
              }}
            >
              {i + 1}
            </div>
          ))}
        </div>
        <textarea
          aria-label="Space notation"
          aria-invalid={wrong !== null}
          spellCheck={false}
          wrap="off"
          value={text}
          rows={Math.min(Math.max(lines.length + 1, 8), 18)}
          onScroll={(event) => numbers.current && (numbers.current.scrollTop = event.currentTarget.scrollTop)}
          onChange={(event) => onText(event.target.value)}
          className="mono inherits"
          style={{ lineHeight: `${LINE}px` }}
        />
      </div>
      {checked?.error && (
        <pre role="alert" data-error="space" className="ember flush block-of-text complaint">
          {checked.error}
        </pre>
      )}
      {refusal && (
        <p role="alert" className="ember small">
          {refusal.message}
        </p>
      )}
    </div>
  );
}
