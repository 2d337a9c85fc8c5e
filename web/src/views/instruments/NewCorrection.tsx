import { Box, Flex, Progress, Table, Text } from "@chakra-ui/react";
import { useState } from "react";
import { useAct } from "../../api/act";
import { type Attempt, api, got, type InstrumentsView as View } from "../../api/client";
import { LampButton, Mono, ProblemNote, QuietButton, Wide } from "../../kit/basics";
import { PANELS } from "../../kit/displays";
import { Select } from "../../kit/field";
import { signed } from "../../pictures/common";
import { useBoard } from "../board/queries";
import { useShelf } from "../shelf/queries";

function Result({ attempt }: { attempt: Attempt }) {
  const keep = useAct(() => got(api.POST("/api/v1/corrections")), ["instruments"]);
  const drop = useAct(() => got(api.DELETE("/api/v1/corrections/attempt")), ["instruments"]);
  const drift = attempt.summary?.drift_percent ?? 0;
  return (
    <Box data-testid="correction-result">
      <Text mb="6px">
        On {attempt.made_on}: colours that the matrix was not made from are off by dE{" "}
        <Mono>{attempt.summary?.de2000_mean?.toFixed(2)}</Mono> on average, before it by{" "}
        <Mono>{attempt.summary?.de2000_before_mean?.toFixed(2)}</Mono>.
        {Math.abs(drift) >= 0.2 && (
          <>
            {" "}
            White drifted by <Mono>{signed(drift)} %</Mono> meanwhile; that was taken out.
          </>
        )}
      </Text>
      <Wide label="Remaining error after the correction">
        <Table.Root>
          <Table.Header>
            <Table.Row>
              {["Colour", "dE before", "dE after", "Δu′v′ after", "Luminance, %"].map((h, i) => (
                <Table.ColumnHeader key={h} scope="col" textAlign={i ? "end" : "start"}>
                  {h}
                </Table.ColumnHeader>
              ))}
            </Table.Row>
          </Table.Header>
          <Table.Body>
            {attempt.residuals?.map((r) => (
              <Table.Row key={r.name}>
                <Table.Cell py="3px">{r.name}</Table.Cell>
                {[
                  r.de_before.toFixed(2),
                  r.de_after.toFixed(2),
                  r.duv_after.toFixed(4),
                  signed(r.luminance_percent, 2),
                ].map((v, i) => (
                  // biome-ignore lint/suspicious/noArrayIndexKey: columns never move
                  <Table.Cell key={i} py="3px" textAlign="end">
                    <Mono>{v.replace("-", "−")}</Mono>
                  </Table.Cell>
                ))}
              </Table.Row>
            ))}
          </Table.Body>
        </Table.Root>
      </Wide>
      <Flex gap="8px" mt="12px">
        <LampButton onClick={() => keep.mutate()} loading={keep.isPending}>
          Save it for {PANELS[attempt.panel]} panels
        </LampButton>
        <QuietButton onClick={() => drop.mutate()}>Discard</QuietButton>
      </Flex>
      {keep.error && <ProblemNote error={keep.error} />}
    </Box>
  );
}

function Making({ attempt }: { attempt: Attempt }) {
  const drop = useAct(() => got(api.DELETE("/api/v1/corrections/attempt")), ["instruments", "bench"]);
  if (attempt.step === "done") return <Result attempt={attempt} />;
  const reference = attempt.done < attempt.total / 2;
  return (
    <Box>
      {attempt.step === "failed" ? (
        <Text color="lamp">{attempt.message}</Text>
      ) : (
        <>
          <Text>
            {reference
              ? "1 of 2: the reference meter stands before the screen."
              : "2 of 2: the working meter stands in the same place."}
          </Text>
          <Text color="ink2">{attempt.message || "Starting"}</Text>
          <Progress.Root value={attempt.done} max={attempt.total} mt="8px" maxW="420px" aria-label="Readings">
            <Progress.Track>
              <Progress.Range />
            </Progress.Track>
          </Progress.Root>
        </>
      )}
      <QuietButton mt="10px" onClick={() => drop.mutate()}>
        {attempt.step === "failed" ? "Close" : "Give up"}
      </QuietButton>
    </Box>
  );
}

/** Make a correction of the simulated working meter, and see what is left after it. */
export function NewCorrection({ view }: { view: View }) {
  const shelf = useShelf();
  const [review, setReview] = useState<number | null>(null);
  const chosen = review ?? shelf.data?.[0]?.id ?? null;
  const start = useAct(
    (body: { review: number; setup: number }) => got(api.POST("/api/v1/corrections/attempt", { body })),
    ["instruments", "bench"],
  );
  if (view.attempt) return <Making attempt={view.attempt} />;
  return (
    <Box>
      <Text color="ink2" maxW="620px" mb="10px">
        Four-colour method: red, green, blue and white of one display are read with the reference meter, then with the
        working meter in the same place. Eight more colours show what is left, and white in between how the display
        drifted meanwhile; primaries are read twice, so that an odd reading is noticed. It takes three minutes of bench
        time.
      </Text>
      <Flex gap="8px" wrap="wrap" align="center">
        <Select
          aria-label="Display"
          value={chosen ?? ""}
          onChange={(e) => setReview(Number(e.target.value))}
          data-testid="correction-display"
        >
          {shelf.data?.map((e) => (
            <option key={e.id} value={e.id}>
              {e.name}, {PANELS[e.panel]}
            </option>
          ))}
        </Select>
        {chosen !== null && <StartIn review={chosen} start={(setup) => start.mutate({ review: chosen, setup })} />}
      </Flex>
      {start.error && (
        <Box mt="10px">
          <ProblemNote error={start.error} />
        </Box>
      )}
    </Box>
  );
}

function StartIn({ review, start }: { review: number; start: (setup: number) => void }) {
  const board = useBoard(review);
  const rows = board.data?.rows ?? [];
  const [setup, setSetup] = useState<number | null>(null);
  const chosen = rows.find((r) => r.setup === setup) ?? rows[0];
  if (!chosen) return null;
  return (
    <>
      <Select aria-label="Mode" value={chosen.setup} onChange={(e) => setSetup(Number(e.target.value))}>
        {rows.map((r) => (
          <option key={r.setup} value={r.setup}>
            {r.name}
          </option>
        ))}
      </Select>
      <LampButton onClick={() => start(chosen.setup)}>Make a correction</LampButton>
    </>
  );
}
