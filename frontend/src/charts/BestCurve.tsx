import { useColorScheme } from "@mui/material/styles";
import { LineChart, ScatterChart } from "echarts/charts";
import { GridComponent, TooltipComponent } from "echarts/components";
import { init, use as register, type EChartsType } from "echarts/core";
import { CanvasRenderer } from "echarts/renderers";
import { useEffect, useRef } from "react";
import type { Best, Points } from "../api/client";
import { bestOption } from "./bestCurveOption";
import { colour } from "./canvas";

register([LineChart, ScatterChart, GridComponent, TooltipComponent, CanvasRenderer]);

interface Props {
  points: Points;
  larger: boolean;
  metric: string;
  baseline: Best | null;
  by: "trials" | "seconds";
  onPick: (index: number) => void;
}

/** Every trial as a dot, the best so far as a line, the baseline dashed. */
export default function BestCurve({ points, larger, metric, baseline, by, onPick }: Props) {
  const box = useRef<HTMLDivElement>(null);
  const chart = useRef<EChartsType>(null);
  const pick = useRef(onPick);
  const { mode } = useColorScheme();
  useEffect(() => {
    pick.current = onPick;
  });
  useEffect(() => {
    const made = init(box.current);
    chart.current = made;
    made.on("click", (event) => {
      const value = event.value as number[] | undefined;
      if (value?.[2] !== undefined) pick.current(value[2]);
    });
    made.on("finished", () => box.current?.setAttribute("data-finished", "yes"));
    const observer = new ResizeObserver(() => made.resize());
    observer.observe(box.current!);
    return () => {
      observer.disconnect();
      made.dispose();
    };
  }, []);
  useEffect(() => {
    const inks = {
      ink: colour("--ink"),
      soft: colour("--soft"),
      rule: colour("--rule"),
      honey: colour("--honey"),
      sheet: colour("--sheet"),
    };
    chart.current?.setOption(bestOption({ points, larger, metric, baseline, by, inks }), true);
  }, [points, larger, metric, baseline, by, mode]);
  return (
    <div
      className="full tall"
      ref={box}

      role="img"
      aria-label={`Best ${metric} so far against ${by}; the trial table has the numbers`}
    />
  );
}
