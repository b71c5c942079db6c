interface Props<T extends string> {
  label: string;
  options: T[];
  value: T;
  onChange: (value: T) => void;
}

/** One of a few, as words side by side. */
export function Switch<T extends string>({ label, options, value, onChange }: Props<T>) {
  return (
    <span role="radiogroup" aria-label={label} className="row small closer">
      {options.map((option) => (
        <button
          key={option}
          type="button"
          role="radio"
          aria-checked={option === value}
          className="plain-button switch-option"
          onClick={() => onChange(option)}
          style={{
            background: option === value ? "var(--spruce-tint)" : undefined,
            fontWeight: option === value ? 600 : 400,
          }}
        >
          {option}
        </button>
      ))}
    </span>
  );
}
