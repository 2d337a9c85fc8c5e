import { Box, chakra, Flex, Grid, Table, Text } from "@chakra-ui/react";
import { Fragment, useMemo } from "react";
import { Link, useNavigate, useSearchParams } from "react-router";
import type { ComparedSetup, ComparedValue, Comparison } from "../../api/client";
import { BACK } from "../../app/keymap";
import { useKeys } from "../../app/keys";
import { Mono, ProblemNote, Quiet, TakeOff } from "../../kit/basics";
import { Finder } from "../../kit/Finder";
import { Select } from "../../kit/field";
import { LineSample } from "../../kit/LineSample";
import { ChartPanel } from "../../pictures/ChartPanel";
import { usePlates } from "../plates/queries";
import { useComparable, useComparison } from "./queries";

const A = chakra(Link);
const signed = (v: number) => (v === 0 ? "0" : `${v > 0 ? "+" : "−"}${Number(Math.abs(v).toPrecision(2))}`);

function Difference({ value }: { value: ComparedValue }) {
  if (value.undecidable) {
    return (
      <Mono fontSize="11px" color="ink3" display="block" title="A lower bound can't be compared">
        not decidable
      </Mono>
    );
  }
  if (value.difference === null || value.difference === undefined) return null;
  const told =
    value.measurable === null
      ? "the uncertainty of the difference is unknown"
      : value.measurable
        ? "measurable"
        : "not measurable";
  const u = value.difference_u == null ? "" : ` ± ${value.difference_u.toPrecision(2)}`;
  return (
    <Mono
      fontSize="11px"
      color={value.measurable ? "ink" : "ink3"}
      display="block"
      title={`${value.difference}${u}: ${told}`}
    >
      {value.measurable === false ? "≈ same" : signed(value.difference)}
      {value.measurable === null ? " ?" : ""}
    </Mono>
  );
}

function Head({ setup, index, onRemove }: { setup: ComparedSetup; index: number; onRemove: () => void }) {
  return (
    <Table.ColumnHeader
      textAlign="end"
      color="ink"
      fontSize="13px"
      pb="8px"
      pl="16px"
      pr="0"
      verticalAlign="bottom"
      scope="col"
    >
      <Flex justify="flex-end" align="center" gap="8px">
        <LineSample index={index} />
        <A to={`/review/${setup.review}`} fontWeight="600" _hover={{ textDecoration: "underline" }}>
          {setup.name}
        </A>
        <TakeOff onClick={onRemove} aria-label={`Take ${setup.name} off`} />
      </Flex>
      <Text color="ink3" fontSize="11px">
        {setup.display}, sample {setup.sample}, {setup.firmware}
      </Text>
      <Text color="ink3" fontSize="11px">
        against {setup.target_title}
      </Text>
    </Table.ColumnHeader>
  );
}

function Rows({
  comparison,
  chosen,
  onChoose,
}: {
  comparison: Comparison;
  chosen: string;
  onChoose: (m: string) => void;
}) {
  return (
    <Table.Body>
      {comparison.rows.map((row, i) => {
        const first = comparison.rows[i - 1]?.measurement !== row.measurement;
        const drawn = comparison.shared.includes(row.measurement);
        return (
          <Table.Row
            key={`${row.measurement}.${row.figure}`}
            borderTop={first ? "1px solid" : undefined}
            borderColor="lineSoft"
            bg={row.measurement === chosen ? "sheet" : undefined}
          >
            <Table.ColumnHeader
              color="ink"
              fontSize="13px"
              py="3px"
              pl="16px"
              pr="14px"
              scope="row"
              whiteSpace="nowrap"
            >
              {first && (
                <chakra.button
                  type="button"
                  cursor={drawn ? "pointer" : "default"}
                  onClick={() => drawn && onChoose(row.measurement)}
                  color={drawn ? "ink" : "ink2"}
                  minH="24px"
                  title={drawn ? "Overlay the charts of this measurement" : "Not measured in every setup"}
                >
                  {row.title}
                </chakra.button>
              )}
            </Table.ColumnHeader>
            <Table.Cell py="3px" pr="0" color="ink2" whiteSpace="nowrap">
              {row.head} <chakra.span color="ink3">{row.unit}</chakra.span>
            </Table.Cell>
            {row.values.map((value, k) => (
              <Table.Cell
                key={comparison.setups[k]?.setup}
                textAlign="end"
                py="3px"
                pl="16px"
                pr="0"
                verticalAlign="top"
              >
                <Mono
                  fontSize="12.5px"
                  title={
                    value.raw == null
                      ? undefined
                      : `${value.raw}${value.uncertainty ? ` ± ${value.uncertainty.toPrecision(2)}` : ""}`
                  }
                >
                  {value.text}
                </Mono>
                {k > 0 && <Difference value={value} />}
              </Table.Cell>
            ))}
          </Table.Row>
        );
      })}
    </Table.Body>
  );
}

/** Up to four setups, of one display or several: figures side by side, charts over one another. */
export default function CompareView() {
  const [query, setQuery] = useSearchParams();
  const go = useNavigate();
  const setups = query.getAll("setup").map(Number);
  const target = query.get("target");
  const known = useComparable();
  const comparison = useComparison(setups, target);
  const shared = comparison.data?.shared ?? [];
  const chosen = query.get("draw") ?? comparison.data?.drawn ?? "";
  const first = comparison.data?.setups[0];
  const plates = usePlates(
    first?.review ?? 0,
    first?.setup ?? 0,
    chosen,
    { overlay: setups.slice(1), pins: [], target: target ?? first?.target ?? null },
    first !== undefined && shared.includes(chosen),
  );
  const set = (next: { setups?: number[]; target?: string | null; draw?: string }) => {
    const q = new URLSearchParams();
    for (const s of next.setups ?? setups) q.append("setup", String(s));
    const t = next.target === undefined ? target : next.target;
    if (t) q.set("target", t);
    const d = next.draw ?? query.get("draw");
    if (d) q.set("draw", d);
    setQuery(q, { replace: true });
  };
  useKeys(BACK, { back: () => go(-1) });
  const here = setups.join();
  const free = useMemo(() => {
    const taken = here.split(",").map(Number);
    return (known.data ?? [])
      .filter((s) => !taken.includes(s.setup))
      .map((s) => ({ value: String(s.setup), words: s.name, group: s.display }));
  }, [known.data, here]);
  const targets = plates.data?.targets ?? [];
  return (
    <Box>
      <Flex align="center" gap="12px" px="16px" py="9px" borderBottom="1px solid" borderColor="lineSoft" wrap="wrap">
        <Text as="h1" fontSize="15px" fontWeight="600">
          Compare
        </Text>
        {setups.length < 4 && (
          <Finder
            label="Add a mode of any display"
            testid="add-setup"
            items={free}
            onChoose={(value) => set({ setups: [...setups, Number(value)] })}
            disabled={free.length === 0}
          />
        )}
        <Box flex="1" />
        {setups.length > 0 && (
          <Flex as="label" align="center" gap="8px" color="ink2">
            Against
            <Select value={target ?? ""} onChange={(e) => set({ target: e.target.value || null })} aria-label="Target">
              <option value="">each one's own target</option>
              {targets.map((t) => (
                <option key={t.key} value={t.key}>
                  {t.title}
                </option>
              ))}
            </Select>
          </Flex>
        )}
      </Flex>
      {comparison.error && (
        <Box p="16px">
          <ProblemNote error={comparison.error} />
        </Box>
      )}
      {setups.length === 0 && (
        <Quiet>
          {known.data?.length === 0
            ? "Nothing is measured yet. Measure a mode from its Board, then compare it here."
            : "Add two to four modes above, from one display or several."}
        </Quiet>
      )}
      {comparison.data && setups.length > 0 && (
        <Grid
          templateColumns={{
            base: "minmax(0, 1fr)",
            lg: setups.length > 2 ? "minmax(0, 3fr) minmax(0, 2fr)" : "minmax(0, 1fr) minmax(0, 1fr)",
          }}
          gap="24px"
          alignItems="start"
        >
          <Box overflowX="auto" py="12px">
            <Table.Root
              w="100%"
              data-testid="comparison"
              aria-label="Comparison"
              css={{ "& td, & th": { borderBottomWidth: 0 } }}
            >
              <Table.Header>
                <Table.Row>
                  <Table.Cell colSpan={2} aria-hidden="true" />
                  {comparison.data.setups.map((s, i) => (
                    <Head
                      key={s.setup}
                      setup={s}
                      index={i}
                      onRemove={() => set({ setups: setups.filter((x) => x !== s.setup) })}
                    />
                  ))}
                </Table.Row>
              </Table.Header>
              <Rows comparison={comparison.data} chosen={chosen} onChoose={(m) => set({ draw: m })} />
            </Table.Root>
            <Text color="ink3" px="16px" pt="10px" fontSize="12px">
              Under each figure its difference from the first, where the readings can tell them apart; “≈ same” is less
              than their uncertainty explains. Choose a measurement to draw it.
            </Text>
          </Box>
          <Box py="12px" pr="16px" pl={{ base: "16px", lg: 0 }}>
            {plates.error && <ProblemNote error={plates.error} />}
            {plates.data && shared.includes(chosen) && (
              <>
                <Text as="h2" fontWeight="600" mb="10px">
                  {plates.data.title}{" "}
                  <chakra.span color="ink3" fontWeight="400">
                    all against {plates.data.target_title}
                  </chakra.span>
                </Text>
                <Grid gap="22px">
                  {plates.data.charts.map((chart) => (
                    <Fragment key={chart.key}>
                      <ChartPanel chart={chart} tables={false} name="compare" />
                    </Fragment>
                  ))}
                </Grid>
              </>
            )}
            {setups.length > 1 && shared.length === 0 && (
              <Quiet>These have no measurement in common, so nothing can be drawn over one another.</Quiet>
            )}
          </Box>
        </Grid>
      )}
    </Box>
  );
}
