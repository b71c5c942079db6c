/** What is wrong with a field, in a sentence. */
export function FieldError({ text, field }: { text: string; field: string }) {
  return (
    <p role="alert" className="ember small" data-error={field}>
      {text}
    </p>
  );
}
