import { Box, chakra, Flex, Table, Text } from "@chakra-ui/react";
import { memo, useLayoutEffect, useRef, useState } from "react";
import type { Chart } from "../api/client";
import { ActionMenu } from "../kit/ActionMenu";
import { Mono } from "../kit/basics";
import { useColours } from "./colours";
import { number } from "./common";
import { KINDS } from "./kinds";
import { csv, download, savePng, saveSvg } from "./save";

/** The same numbers as the picture. */
export function Numbers({ chart }: { chart: Chart }) {
  const { heads, decimals, rows } = chart.table;
  return (
    // What scrolls must be reached with the keyboard.
    <Box
      overflowX="auto"
      maxH="420px"
      overflowY="auto"
      tabIndex={0}
      role="region"
      aria-label={`Numbers of ${chart.title}`}
    >
      <Table.Root w="100%" fontSize="12px" aria-label={chart.title} stickyHeader>
        <Table.Header>
          <Table.Row>
            {heads.map((h, j) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: columns never move, and two may bear one name
              <Table.ColumnHeader key={j} scope="col" textAlign="end" pr="12px" bg="ground">
                {h}
              </Table.ColumnHeader>
            ))}
          </Table.Row>
        </Table.Header>
        <Table.Body>
          {rows.map((row, i) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: rows have no other name and never move
            <Table.Row key={i}>
              {row.map((value, j) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: as above
                <Table.Cell key={j} textAlign="end" pr="12px" py="2px" whiteSpace="nowrap">
                  {typeof value === "string" ? (
                    value
                  ) : (
                    <Mono title={value === null ? undefined : String(value)}>{number(value, decimals[j] ?? 0)}</Mono>
                  )}
                </Table.Cell>
              ))}
            </Table.Row>
          ))}
        </Table.Body>
      </Table.Root>
    </Box>
  );
}

/** What can be taken away of a chart: its numbers, or the picture. */
function Save({ chart, name, figure }: { chart: Chart; name: string; figure: () => HTMLElement | null }) {
  const [said, setSaid] = useState("save");
  const { ground } = useColours();
  const file = `${name} ${chart.title}`.toLowerCase().replace(/[^a-z0-9]+/g, "-");
  const copy = async () => {
    const text = csv(chart);
    try {
      await navigator.clipboard.writeText(text);
      setSaid("copied");
    } catch {
      download(`${file}.csv`, new Blob([text], { type: "text/csv" }));
      setSaid("saved");
    }
    setTimeout(() => setSaid("save"), 1500);
  };
  const take = (what: string) => {
    const picture = figure();
    if (what === "csv") copy();
    else if (picture && what === "svg") saveSvg(file, picture, ground);
    else if (picture && what === "png") savePng(file, picture, ground);
  };
  return (
    <ActionMenu
      label={`Save ${chart.title}`}
      onAct={take}
      groups={[
        {
          actions: [
            { value: "csv", words: "Numbers, copied as CSV" },
            ...(KINDS.get(chart.kind)?.saved
              ? [
                  { value: "svg", words: "Picture as SVG" },
                  { value: "png", words: "Picture as PNG" },
                ]
              : []),
          ],
        },
      ]}
    >
      <chakra.button
        type="button"
        aria-label={`Save ${chart.title}`}
        color="ink3"
        fontSize="11px"
        cursor="pointer"
        minW="44px"
        minH="24px"
        textAlign="right"
        _hover={{ color: "ink" }}
      >
        {said}
      </chakra.button>
    </ActionMenu>
  );
}

interface ChartPanelProps {
  chart: Chart;
  tables: boolean;
  name: string;
}

/** One picture with its title, headline figures and, on demand, its table. A chart that stays is not drawn again. */
export const ChartPanel = memo(function ChartPanel({ chart, tables, name }: ChartPanelProps) {
  const box = useRef<HTMLDivElement>(null);
  const kind = KINDS.get(chart.kind);
  const [width, setWidth] = useState(560);
  useLayoutEffect(() => {
    if (!box.current) return;
    setWidth(Math.round(box.current.clientWidth));
    const watch = new ResizeObserver(([entry]) => entry && setWidth(Math.round(entry.contentRect.width)));
    watch.observe(box.current);
    return () => watch.disconnect();
  }, []);
  return (
    <Box as="figure" data-chart={chart.key} minW={0}>
      <Box as="figcaption" mb="6px">
        <Flex align="baseline" gap="10px">
          <Text as="h3" fontWeight="600" minW="0">
            {chart.title}
          </Text>
          <Box flex="1" />
          <Mono color="ink2" fontSize="12px" textAlign="right" data-headline={chart.key}>
            {chart.headline}
          </Mono>
          <Save chart={chart} name={name} figure={() => box.current} />
        </Flex>
        <Text color="ink3" fontSize="11.5px">
          {chart.note}
        </Text>
      </Box>
      <Box ref={box}>{kind && <kind.Picture chart={chart} width={width} />}</Box>
      {(tables || chart.table_open) && (
        <Box mt="8px">
          <Numbers chart={chart} />
        </Box>
      )}
    </Box>
  );
});
