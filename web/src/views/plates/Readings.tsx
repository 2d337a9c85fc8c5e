import { Box, Flex, Table, Text } from "@chakra-ui/react";
import { useEffect, useRef } from "react";
import { Link } from "react-router";
import { useAct } from "../../api/act";
import { api, got } from "../../api/client";
import { Key, Mono, ProblemNote, QuietButton, Wide } from "../../kit/basics";
import { Dialog } from "../../kit/Dialog";
import { luminance } from "../bench/BenchBar";
import { useBench } from "../bench/queries";
import { useReadings } from "./queries";

const AFTER = ["readings", "plates", "board", "verdict", "shelf"];

/** Every patch of a cell with what was read of it; any one can be read again. */
export function Readings({
  review,
  setup,
  measurement,
  title,
  reports,
  close,
}: {
  review: number;
  setup: number;
  measurement: string;
  title: string;
  reports: boolean;
  close: () => void;
}) {
  const read = useReadings(review, setup, measurement);
  const bench = useBench();
  const again = useAct(
    ({ run, patch }: { run: number; patch: number }) =>
      got(api.POST("/api/v1/runs/{run}/patches/{patch}/reread", { params: { path: { run, patch } } })),
    AFTER,
  );
  const busy = (bench.data?.kind ?? "") !== "";
  const refresh = useAct(async () => null, AFTER).mutate;
  const worked = useRef(busy);
  // What was read again is there once the bench is at rest.
  useEffect(() => {
    if (worked.current && !busy) refresh();
    worked.current = busy;
  }, [busy, refresh]);
  return (
    <Dialog label={`Readings of ${title}`} width="min(720px, 94vw)" onClose={close}>
      {(shut) => (
        <>
          <Flex justify="space-between" align="center" mb="6px">
            <Text as="h2" fontSize="16px" fontWeight="600">
              {title}: what was read
            </Text>
            <QuietButton onClick={() => shut()}>
              Close <Key>esc</Key>
            </QuietButton>
          </Flex>
          <Text color="ink2" mb="8px">
            Luminance before any correction. If a patch was read several times, the median counts.
          </Text>
          {read.error && <ProblemNote error={read.error} />}
          {read.data?.message && !busy && (
            <Text color="lamp" mb="8px" role="alert">
              {read.data.message}
            </Text>
          )}
          {again.error && <ProblemNote error={again.error} />}
          <Box maxH="56vh" overflowY="auto">
            <Wide label="Readings">
              <Table.Root w="100%">
                <Table.Header>
                  <Table.Row>
                    {["Patch", "Where", "cd/m²", ""].map((h) => (
                      <Table.ColumnHeader key={h || "acts"} scope="col">
                        {h}
                      </Table.ColumnHeader>
                    ))}
                  </Table.Row>
                </Table.Header>
                <Table.Body>
                  {read.data?.patches.map((p) => (
                    <Table.Row key={p.patch} data-testid="read-patch">
                      <Table.Cell>{p.code}</Table.Cell>
                      <Table.Cell color="ink2">{p.place}</Table.Cell>
                      <Table.Cell>
                        <Mono>{p.Y.map((y) => (y == null ? "no number" : luminance(y))).join("  ")}</Mono>
                      </Table.Cell>
                      <Table.Cell textAlign="end" pr="0">
                        {reports ? (
                          <QuietButton
                            h="24px"
                            disabled={busy || again.isPending}
                            onClick={() => again.mutate({ run: p.run, patch: p.patch })}
                          >
                            Read again
                          </QuietButton>
                        ) : (
                          <QuietButton h="24px" asChild>
                            <Link to={`/review/${review}/hand/${p.run}`}>To its list</Link>
                          </QuietButton>
                        )}
                      </Table.Cell>
                    </Table.Row>
                  ))}
                </Table.Body>
              </Table.Root>
            </Wide>
          </Box>
        </>
      )}
    </Dialog>
  );
}
