/** Our mark: a fold ring on its way round, with the light in the middle. */
export function Mark({ size }: { size: number }) {
  return <img src="/mark.svg" width={size} height={size} alt="" />;
}
