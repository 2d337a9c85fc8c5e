import { Badge, Table, Text } from "@chakra-ui/react";
import { useAct } from "../../api/act";
import { api, got, type InstrumentsView as View } from "../../api/client";
import { Mono, ProblemNote, TakeOff, Wide } from "../../kit/basics";
import { PANELS } from "../../kit/displays";

const HEADS = [
  "Panel type",
  "Meter",
  "Made on",
  "Reference",
  "Date",
  "dE left, mean",
  "worst",
  "without it",
  "Runs",
  "",
];

/** The corrections there are: of which meter, by its serial, for which panel type. */
export function Corrections({ view }: { view: View }) {
  const remove = useAct(
    (id: number) => got(api.DELETE("/api/v1/corrections/{correction}", { params: { path: { correction: id } } })),
    ["instruments"],
  );
  if (view.corrections.length === 0)
    return (
      <Text color="ink2">
        No corrections yet. Runs without a correction are marked as uncorrected, and their intervals are wider.
      </Text>
    );
  return (
    <Wide label="Corrections">
      {remove.error && <ProblemNote error={remove.error} />}
      <Table.Root w="100%" data-testid="corrections">
        <Table.Header>
          <Table.Row>
            {HEADS.map((h, i) => (
              <Table.ColumnHeader key={h || "acts"} scope="col" textAlign={i > 4 ? "end" : "start"}>
                {h}
              </Table.ColumnHeader>
            ))}
          </Table.Row>
        </Table.Header>
        <Table.Body>
          {view.corrections.map((c) => (
            <Table.Row key={c.id} title={c.matrix.map((r) => r.map((v) => v.toFixed(5)).join("  ")).join("\n")}>
              <Table.Cell fontWeight={c.current ? 500 : 400} color={c.current ? "ink" : "ink2"} whiteSpace="nowrap">
                {PANELS[c.panel]}{" "}
                {c.current && (
                  <Badge
                    variant="outline"
                    color="ink3"
                    fontSize="11px"
                    fontWeight="400"
                    px="5px"
                    boxShadow="none"
                    border="1px solid"
                    borderColor="line"
                  >
                    in use
                  </Badge>
                )}
              </Table.Cell>
              <Table.Cell>
                {c.meter}
                {c.serial && <Mono color="ink3"> {c.serial}</Mono>}
              </Table.Cell>
              <Table.Cell color="ink2">{c.made_on}</Table.Cell>
              <Table.Cell color="ink2">{c.reference}</Table.Cell>
              <Table.Cell color="ink2" whiteSpace="nowrap">
                {new Date(c.made_at).toLocaleDateString("en-GB", { dateStyle: "medium" })}
              </Table.Cell>
              {[c.residual.de2000_mean, c.residual.de2000_worst, c.residual.de2000_before_mean].map((v, i) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: columns never move
                <Table.Cell key={i} textAlign="end">
                  <Mono>{v?.toFixed(2) ?? "–"}</Mono>
                </Table.Cell>
              ))}
              <Table.Cell textAlign="end">
                <Mono>{c.runs}</Mono>
              </Table.Cell>
              <Table.Cell textAlign="end" pr="0">
                {c.runs === 0 && (
                  <TakeOff aria-label={`Delete the correction of ${c.meter}`} onClick={() => remove.mutate(c.id)} />
                )}
              </Table.Cell>
            </Table.Row>
          ))}
        </Table.Body>
      </Table.Root>
    </Wide>
  );
}
