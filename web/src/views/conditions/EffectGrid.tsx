import { Box, chakra, Text } from "@chakra-ui/react";
import { Fragment } from "react";
import type { ConditionsResult, EffectCell } from "../../api/client";
import { Wide } from "../../kit/basics";
import { MONO, number } from "../../pictures/common";

const WIDTH = 104;
/** What a number beside a bar takes. */
const ROOM = 36;
const HEIGHT = 24;
const MIDDLE = HEIGHT / 2;
const Row = chakra("tr");
const Head = chakra("th");
const Cell = chakra("td");

const decimals = (v: number) => (Math.abs(v) >= 10 ? 0 : 1);
const amount = (c: EffectCell) => `${c.amount > 0 ? "+" : "−"}${number(Math.abs(c.amount), decimals(c.amount))}`;

interface Reach {
  low: number;
  high: number;
}

/** An effect as a bar about zero with the interval that holds the truth 95 times of 100; nothing where none is measurable. */
function Bar({ cell, reach, unit }: { cell: EffectCell; reach: Reach; unit: string }) {
  if (cell.size === "none") return null;
  const span = reach.high - reach.low;
  const left = reach.low < 0 ? ROOM : 4;
  const right = reach.high > 0 ? ROOM : 4;
  const x = (v: number) => left + ((v - reach.low) / span) * (WIDTH - left - right);
  const depth = cell.size === "strong" ? 1 : cell.size === "clear" ? 0.7 : 0.4;
  const up = cell.amount > 0;
  const ends = `${number(cell.low, 1)} to ${number(cell.high, 1)} ${unit}`;
  return (
    <chakra.svg
      width={`${WIDTH}px`}
      height={`${HEIGHT}px`}
      display="block"
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      role="img"
      aria-label={`${cell.words}, ${ends}`}
      color="ink"
    >
      <title>{`${cell.words} (${ends})`}</title>
      <line x1={x(0)} x2={x(0)} y1={2} y2={HEIGHT - 2} stroke="currentColor" strokeWidth={1} opacity={0.5} />
      <rect
        x={Math.min(x(0), x(cell.amount))}
        y={MIDDLE - 4}
        width={Math.max(1.5, Math.abs(x(cell.amount) - x(0)))}
        height={8}
        fill="currentColor"
        opacity={depth}
      />
      <line x1={x(cell.low)} x2={x(cell.high)} y1={MIDDLE} y2={MIDDLE} stroke="currentColor" strokeWidth={1.2} />
      <text
        x={up ? Math.max(x(cell.high), x(0)) + 4 : Math.min(x(cell.low), x(0)) - 4}
        y={MIDDLE}
        dy="0.35em"
        textAnchor={up ? "start" : "end"}
        fill="currentColor"
        fontSize={11}
        fontFamily={MONO}
      >
        {amount(cell)}
      </text>
    </chakra.svg>
  );
}

interface Props {
  result: ConditionsResult;
  /** The state that keys work on. */
  at: string;
  chosen: readonly string[];
  onAt: (key: string) => void;
  onChoose: (key: string) => void;
}

/** States by light as rows, figures as columns. */
export function EffectGrid({ result, at, chosen, onAt, onChoose }: Props) {
  const reach = Object.fromEntries(
    result.figures.map((f) => {
      const seen = result.states.flatMap((s) => s.cells.filter((c) => c.figure === f.key && c.size !== "none"));
      const low = Math.min(0, ...seen.map((c) => c.low));
      const high = Math.max(0, ...seen.map((c) => c.high));
      return [f.key, high - low > 0 ? { low, high } : { low: -1, high: 1 }];
    }),
  );
  const any = (key: string) => result.states.some((s) => s.cells.some((c) => c.figure === key && c.size !== "none"));
  const shown = result.figures.filter((f) => any(f.key));
  const still = result.figures.filter((f) => !any(f.key));
  return (
    <Box>
      <Wide label="Effects of every state">
        <chakra.table aria-label="Effects against the baseline" borderCollapse="collapse" fontSize="12.5px">
          <thead>
            <tr>
              <Head scope="col" textAlign="start" fontWeight="450" color="ink3" minW="150px" pb="4px">
                State
              </Head>
              {shown.map((f) => (
                <Head key={f.key} scope="col" fontWeight="450" color="ink2" w={`${WIDTH}px`} px="6px" pb="4px">
                  {f.title}{" "}
                  <Text as="span" color="ink3">
                    {f.unit}
                  </Text>
                </Head>
              ))}
            </tr>
          </thead>
          <tbody>
            {result.lights.map((light, n) => {
              const states = result.states.filter((s) => s.light === n);
              if (states.length === 0) return null;
              return (
                <Fragment key={light.label}>
                  <tr>
                    <Head
                      scope="rowgroup"
                      colSpan={shown.length + 1}
                      textAlign="start"
                      fontWeight="600"
                      pt="10px"
                      pb="3px"
                      borderBottom="1px solid"
                      borderColor="lineSoft"
                    >
                      {light.words}
                    </Head>
                  </tr>
                  {states.map((s) => (
                    <Row
                      key={s.key}
                      data-testid="state"
                      data-key={s.key}
                      aria-selected={s.key === at}
                      bg={s.key === at ? "raised" : undefined}
                      onClick={() => {
                        onAt(s.key);
                        if (!s.left_out) onChoose(s.key);
                      }}
                      cursor="pointer"
                      title={s.sentence}
                    >
                      <Head scope="row" textAlign="start" fontWeight="400" py="1px" pl="2px" pr="10px">
                        <Text as="span" color="lamp" display="inline-block" w="14px">
                          {chosen.includes(s.key) ? "•" : ""}
                        </Text>
                        {s.words}
                      </Head>
                      {s.left_out ? (
                        <Cell colSpan={shown.length} color="ink3">
                          {s.left_out}
                        </Cell>
                      ) : (
                        shown.map((f) => {
                          const cell = s.cells.find((c) => c.figure === f.key);
                          return (
                            <Cell key={f.key} px="6px" h={`${HEIGHT}px`} data-figure={f.key}>
                              {cell && <Bar cell={cell} reach={reach[f.key] ?? { low: -1, high: 1 }} unit={f.unit} />}
                            </Cell>
                          );
                        })
                      )}
                    </Row>
                  ))}
                </Fragment>
              );
            })}
          </tbody>
        </chakra.table>
      </Wide>
      {still.length > 0 && result.states.length > 0 && (
        <Text color="ink3" fontSize="12px" mt="8px">
          Nothing measurable in any state: {still.map((f) => f.title.toLowerCase()).join(", ")}.
        </Text>
      )}
    </Box>
  );
}
