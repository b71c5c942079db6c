export default function NoCurve() {
  return <div data-testid="best curve" />;
}
