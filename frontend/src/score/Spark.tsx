/** A small curve over time with the playhead. */

const WIDTH = 46;
const HEIGHT = 14;

export function Spark({
  values,
  at,
  width = WIDTH,
  height = HEIGHT,
}: {
  values: (number | null)[];
  at: number;
  width?: number;
  height?: number;
}) {
  if (values.length < 2) return <svg width={width} height={height} aria-hidden />;
  const most = Math.max(1e-9, ...values.map((value) => value ?? 0));
  const x = (index: number) => (index / (values.length - 1)) * width;
  const y = (value: number) => height - 1 - (value / most) * (height - 2);
  const point = (value: number | null, index: number) =>
    value === null
      ? ""
      : `${index > 0 && values[index - 1] !== null ? "L" : "M"}${x(index).toFixed(1)} ${y(value).toFixed(1)}`;
  const path = values.map(point).join("");
  return (
    <svg width={width} height={height} aria-hidden className="shrink-0">
      <path d={path} fill="none" stroke="currentColor" strokeWidth={1} opacity={0.8} />
      {at < values.length && <line x1={x(at)} x2={x(at)} y1={0} y2={height} stroke="var(--brass)" strokeWidth={1} />}
    </svg>
  );
}
