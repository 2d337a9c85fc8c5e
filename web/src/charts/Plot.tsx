import { Box } from "@chakra-ui/react";
import { BarChart, CustomChart, LineChart, ScatterChart } from "echarts/charts";
import { DataZoomComponent, GridComponent, MarkAreaComponent, TooltipComponent } from "echarts/components";
import * as echarts from "echarts/core";
import { LabelLayout } from "echarts/features";
import { SVGRenderer } from "echarts/renderers";
import type { EChartsOption } from "echarts/types/dist/shared";
import { useLayoutEffect, useRef } from "react";

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

/** What an option consists of, whatever its numbers: between two alike, only what differs needs to be drawn anew. */
function form({ series, xAxis, yAxis }: EChartsOption): string {
  const kinds = [series ?? []].flat().map((s) => `${s.type} ${"markArea" in s}`);
  return [...kinds, [xAxis ?? []].flat().length, [yAxis ?? []].flat().length].join();
}

/** What a picture has only for the pointer, which takes a third of the time of drawing it. */
const forPointer = ({ tooltip, dataZoom }: EChartsOption): EChartsOption => ({ tooltip, dataZoom });

/** A picture drawn from an option; it follows its box's size. */
export function Plot({ option, height, label }: { option: EChartsOption; height: number; label: string }) {
  const box = useRef<HTMLDivElement>(null);
  const chart = useRef<echarts.ECharts | null>(null);
  const drawn = useRef("");
  const inView = useRef(true);
  const pointed = useRef(false);
  useLayoutEffect(() => {
    if (!box.current) return;
    const made = echarts.init(box.current, undefined, { renderer: "svg" });
    chart.current = made;
    const watch = new ResizeObserver(() => made.resize());
    watch.observe(box.current);
    const sight = new IntersectionObserver(([entry]) => {
      inView.current = entry?.isIntersecting ?? true;
    });
    sight.observe(box.current);
    return () => {
      watch.disconnect();
      sight.disconnect();
      drawn.current = "";
      made.dispose();
    };
  }, []);
  useLayoutEffect(() => {
    const draw = () => {
      const now = form(option);
      const picture = pointed.current ? option : { ...option, tooltip: undefined, dataZoom: undefined };
      chart.current?.setOption(picture, { notMerge: drawn.current !== now });
      drawn.current = now;
    };
    if (inView.current) return void draw();
    // What can be seen is drawn first; the rest follows when that is on the screen.
    let timer = 0;
    const frame = requestAnimationFrame(() => {
      timer = window.setTimeout(draw);
    });
    return () => {
      cancelAnimationFrame(frame);
      clearTimeout(timer);
    };
  }, [option]);
  const point = () => {
    if (pointed.current) return;
    pointed.current = true;
    chart.current?.setOption(forPointer(option));
  };
  return <Box ref={box} h={`${height}px`} w="100%" role="img" aria-label={label} onPointerEnter={point} />;
}
