/** The best-so-far chart as an option object: numbers in, description out. */
import type { Best, Points } from "../api/client";
import { duration, figure, score } from "../lib/format";
import { goodness, ramp, scoreScale } from "../lib/ramp";
import { bestTrace } from "../lib/trace";
import { endsOf, tickWords } from "./plotLayout";

interface Input {
  points: Points;
  larger: boolean;
  metric: string;
  baseline: Best | null;
  by: "trials" | "seconds";
  inks: Record<"ink" | "soft" | "rule" | "honey" | "sheet", string>;
}

const SHADES = 12;
const FONT = "Inter Variable, system-ui, sans-serif";

export function bestOption({ points, larger, metric, baseline, by, inks }: Input) {
  const trace = bestTrace(points, larger);
  const scale = scoreScale(points.means, larger);
  const x = (p: (typeof trace)[number]) => (by === "trials" ? p.place + 1 : p.seconds);
  const extra = baseline ? [baseline.score] : [];
  const shown = trace.map((p) => points.means[p.index]!);
  const inside = shown.filter((mean) => mean >= scale.low && mean <= scale.high);
  const { low, high } = endsOf([...(inside.length > 1 ? [scale.low, scale.high] : shown), ...extra], 0.12);
  const dots = trace.map((p) => [
    x(p),
    Math.min(Math.max(points.means[p.index]!, low), high),
    p.index,
    points.means[p.index]!,
  ]);
  const last = trace[trace.length - 1];
  const right = last ? x(last) : 1;
  const few = dots.length <= 400;
  /** Each dot with its own colour and rim. */
  const ownDots = () => ({
    type: "scatter",
    data: dots.map((value) => ({
      value,
      ...(value[1] === value[3] ? {} : { symbol: "triangle", symbolRotate: larger ? 180 : 0 }),
      itemStyle:
        points.keeps[value[2]!] === false
          ? { color: "transparent", borderColor: ramp(goodness(value[3]!, scale)), borderWidth: 1.4 }
          : { color: ramp(goodness(value[3]!, scale)), borderColor: inks.sheet, borderWidth: 0.8 },
    })),
    symbolSize: 8,
    cursor: "pointer",
  });
  /** Thousands of dots: a few colours, each drawn in one go; what breaks a limit is only hinted at. */
  const sharedDots = () => {
    const shades = Array.from({ length: SHADES }, (): typeof dots => []);
    const broken = dots.filter((dot) => points.keeps[dot[2]!] === false);
    for (const dot of dots)
      if (points.keeps[dot[2]!] !== false)
        shades[Math.min(Math.floor(goodness(dot[3]!, scale) * SHADES), SHADES - 1)]!.push(dot);
    const series = (data: typeof dots, itemStyle: object) => ({
      ...{ type: "scatter", data, symbolSize: 4, large: true, largeThreshold: 1, itemStyle },
    });
    return [
      series(broken, { color: inks.soft, opacity: 0.3 }),
      ...shades.map((data, shade) => series(data, { color: ramp((shade + 0.5) / SHADES) })),
    ];
  };
  return {
    animation: false,
    textStyle: { fontFamily: FONT, color: inks.soft },
    grid: { left: 58, right: 20, top: 30, bottom: 38 },
    tooltip: {
      trigger: "item",
      backgroundColor: inks.sheet,
      borderColor: inks.rule,
      textStyle: { color: inks.ink, fontSize: 12 },
      formatter: (item: { value: number[] }) =>
        item.value[2] === undefined
          ? ""
          : `Trial ${points.numbers[item.value[2]]}: ${score(item.value[3], points.standard_errors[item.value[2]])}${
              points.keeps[item.value[2]] === false ? ", breaks a limit" : ""
            }`,
    },
    xAxis: {
      type: "value",
      name: by === "trials" ? "trials scored" : "time since the first score",
      nameLocation: "middle",
      nameGap: 24,
      min: 0,
      max: Math.max(right, 1),
      minInterval: by === "trials" ? 1 : undefined,
      axisLine: { lineStyle: { color: inks.rule } },
      axisLabel: { formatter: (v: number) => (by === "trials" ? figure(v) : duration(v)), hideOverlap: true },
      splitLine: { show: false },
    },
    yAxis: {
      type: "value",
      name: metric,
      nameTextStyle: { align: "left", padding: [0, 0, 0, -48], fontWeight: 600, color: inks.ink },
      min: low,
      max: high,
      axisLabel: { formatter: tickWords({ low, high }), showMinLabel: false, showMaxLabel: false },
      splitLine: { lineStyle: { color: inks.rule, opacity: 0.5 } },
    },
    series: [
      {
        type: "line",
        data: baseline
          ? [
              [0, baseline.score],
              [Math.max(right, 1), baseline.score],
            ]
          : [],
        lineStyle: { color: inks.soft, type: [5, 4], width: 1.4 },
        symbol: "none",
        silent: true,
        endLabel: baseline
          ? { show: true, formatter: "baseline", color: inks.soft, fontSize: 11, offset: [-58, larger ? 10 : -10] }
          : undefined,
      },
      ...(few ? [ownDots()] : sharedDots()),
      {
        type: "line",
        step: "end",
        data: trace
          .filter((p, i) => p.best !== null && (p.best !== trace[i - 1]?.best || i === trace.length - 1))
          .map((p) => [x(p), p.best]),
        lineStyle: { color: inks.honey, width: 2.4 },
        symbol: "none",
        silent: true,
      },
    ],
  };
}
