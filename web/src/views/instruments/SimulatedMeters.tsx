import { Box, Flex, Table, Text } from "@chakra-ui/react";
import { useAct } from "../../api/act";
import { api, type Fault, got, type InstrumentsView as View } from "../../api/client";
import { Mono, ProblemNote, Wide } from "../../kit/basics";
import { Select } from "../../kit/field";
import { useBench } from "../bench/queries";

/** The simulated meters, their state, and how to see what happens when one fails. */
export function SimulatedMeters({ view }: { view: View }) {
  const bench = useBench();
  const fail = useAct(
    (fault: Fault | null) => got(api.PUT("/api/v1/bench/fault", { body: { fault } })),
    ["instruments", "bench"],
  );
  const faults = Object.keys(view.faults) as Fault[];
  const busy = (bench.data?.kind ?? "") !== "";
  return (
    <Box as="section" aria-label="Simulated meters">
      <Text as="h2" fontWeight="600" fontSize="15px" mb="4px">
        Simulated meters
      </Text>
      <Wide label="Simulated meters">
        <Table.Root w="100%">
          <Table.Header>
            <Table.Row>
              {["Meter", "Used as", "Repeats to, %", "Floor, cd/m²", "Ceiling, cd/m²", "State"].map((h, i) => (
                <Table.ColumnHeader key={h} scope="col" textAlign={i > 1 && i < 5 ? "end" : "start"}>
                  {h}
                </Table.ColumnHeader>
              ))}
            </Table.Row>
          </Table.Header>
          <Table.Body>
            {view.meters.map((m) => (
              <Table.Row key={m.name}>
                <Table.Cell fontWeight="500">{m.name}</Table.Cell>
                <Table.Cell color="ink2">{m.role}</Table.Cell>
                {[m.repeatability_percent.toFixed(2), m.floor_cd_m2, m.ceiling_cd_m2].map((v, i) => (
                  // biome-ignore lint/suspicious/noArrayIndexKey: columns never move
                  <Table.Cell key={i} textAlign="end">
                    <Mono>{v}</Mono>
                  </Table.Cell>
                ))}
                <Table.Cell color={m.fault ? "lamp" : "ink2"}>
                  {m.fault ? view.faults[m.fault] : busy && m.kind === "colorimeter" ? "reading" : "ready"}
                </Table.Cell>
              </Table.Row>
            ))}
          </Table.Body>
        </Table.Root>
      </Wide>
      <Flex align="center" gap="8px" mt="10px" color="ink2" wrap="wrap">
        <Text as="label" {...{ htmlFor: "fault" }}>
          Try what happens when the working meter
        </Text>
        <Select
          id="fault"
          disabled={!busy}
          value={view.meters[0]?.fault ?? ""}
          onChange={(e) => fail.mutate(faults[e.target.selectedIndex - 1] ?? null)}
        >
          <option value="">works</option>
          {faults.map((key) => (
            <option key={key} value={key}>
              {view.faults[key]}
            </option>
          ))}
        </Select>
        {!busy && <Text color="ink3">while something is on the bench</Text>}
      </Flex>
      {fail.error && <ProblemNote error={fail.error} />}
    </Box>
  );
}
