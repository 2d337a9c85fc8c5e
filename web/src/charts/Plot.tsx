import { Box } from "@chakra-ui/react";
import { BarChart, CustomChart, LineChart, ScatterChart } from "echarts/charts";
import { DataZoomComponent, GridComponent, MarkAreaComponent, TooltipComponent } from "echarts/components";
import * as echarts from "echarts/core";
import { LabelLayout } from "echarts/features";
import { SVGRenderer } from "echarts/renderers";
import type { EChartsOption } from "echarts/types/dist/shared";
import { useEffect, useRef } from "react";

echarts.use([
  BarChart,
  CustomChart,
  LineChart,
  ScatterChart,
  DataZoomComponent,
  GridComponent,
  MarkAreaComponent,
  TooltipComponent,
  LabelLayout,
  SVGRenderer,
]);

/** A picture drawn from an option; it follows its box's size and is replaced whole when the option changes. */
export function Plot({ option, height, label }: { option: EChartsOption; height: number; label: string }) {
  const box = useRef<HTMLDivElement>(null);
  const chart = useRef<echarts.ECharts | null>(null);
  useEffect(() => {
    if (!box.current) return;
    const made = echarts.init(box.current, undefined, { renderer: "svg" });
    chart.current = made;
    const watch = new ResizeObserver(() => made.resize());
    watch.observe(box.current);
    return () => {
      watch.disconnect();
      made.dispose();
    };
  }, []);
  useEffect(() => {
    chart.current?.setOption(option, { notMerge: true });
  }, [option]);
  return <Box ref={box} h={`${height}px`} w="100%" role="img" aria-label={label} />;
}
