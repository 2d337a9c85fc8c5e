import { Box, chakra, Flex, Grid, Text } from "@chakra-ui/react";
import { useState } from "react";
import { useNavigate } from "react-router";
import { type Attempt, call, type InstrumentsView as View } from "../../api/client";
import { useAct, useBench, useBoard, useInstruments, useShelf } from "../../api/queries";
import { useKeys, useTitle } from "../../app/keys";
import { signed } from "../../charts/common";
import { Key, LampButton, Mono, ProblemNote, Quiet, QuietButton, Wide } from "../../parts/basics";
import { Select } from "../../parts/field";

const Td = chakra("td");
const Th = chakra("th");
const head = { textAlign: "left", color: "ink3", fontWeight: "500", fontSize: "12px", py: "5px", pr: "16px" } as const;
const cell = { py: "7px", pr: "16px", borderTop: "1px solid", borderColor: "lineSoft", verticalAlign: "top" } as const;
const PANELS: Record<string, string> = {
  lcd: "liquid crystal",
  oled: "emissive",
  projector: "projection",
  other: "other",
};

function Meters({ view }: { view: View }) {
  const bench = useBench();
  const fail = useAct((fault: string | null) => call("PUT", "/bench/fault", { fault }), ["instruments", "bench"]);
  const busy = (bench.data?.kind ?? "") !== "";
  return (
    <Box as="section" aria-label="Meters">
      <Text as="h2" fontWeight="600" fontSize="15px" mb="4px">
        Meters
      </Text>
      <Wide label="Meters">
        <chakra.table w="100%" css={{ borderCollapse: "collapse" }}>
          <thead>
            <tr>
              <Th {...head} scope="col">
                Meter
              </Th>
              <Th {...head} scope="col">
                Used as
              </Th>
              <Th {...head} scope="col" textAlign="right">
                Repeats to, %
              </Th>
              <Th {...head} scope="col" textAlign="right">
                Floor, cd/m²
              </Th>
              <Th {...head} scope="col" textAlign="right">
                Ceiling, cd/m²
              </Th>
              <Th {...head} scope="col">
                State
              </Th>
            </tr>
          </thead>
          <tbody>
            {view.meters.map((m) => (
              <tr key={m.name}>
                <Td {...cell} fontWeight="500">
                  {m.name}
                </Td>
                <Td {...cell} color="ink2">
                  {m.role}
                </Td>
                <Td {...cell} textAlign="right">
                  <Mono>{m.repeatability_percent.toFixed(2)}</Mono>
                </Td>
                <Td {...cell} textAlign="right">
                  <Mono>{m.floor_cd_m2}</Mono>
                </Td>
                <Td {...cell} textAlign="right">
                  <Mono>{m.ceiling_cd_m2}</Mono>
                </Td>
                <Td {...cell} color={m.fault ? "lamp" : "ink2"}>
                  {m.fault ? view.faults[m.fault] : busy && m.kind === "colorimeter" ? "reading" : "ready"}
                </Td>
              </tr>
            ))}
          </tbody>
        </chakra.table>
      </Wide>
      <Flex align="center" gap="8px" mt="10px" color="ink2" wrap="wrap">
        <Text as="label" {...{ htmlFor: "fault" }}>
          Try what happens when the working meter
        </Text>
        <Select
          id="fault"
          disabled={!busy}
          value={view.meters[0]?.fault ?? ""}
          onChange={(e) => fail.mutate(e.target.value || null)}
        >
          <option value="">works</option>
          {Object.entries(view.faults).map(([key, words]) => (
            <option key={key} value={key}>
              {words}
            </option>
          ))}
        </Select>
        {!busy && <Text color="ink3">while something is on the bench</Text>}
      </Flex>
      {fail.error && <ProblemNote error={fail.error} />}
    </Box>
  );
}

function Result({ attempt }: { attempt: Attempt }) {
  const keep = useAct(() => call("POST", "/corrections"), ["instruments"]);
  const drop = useAct(() => call("DELETE", "/corrections/attempt"), ["instruments"]);
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
      <Wide label="What is left after the correction">
        <chakra.table css={{ borderCollapse: "collapse" }}>
          <thead>
            <tr>
              <Th {...head} scope="col">
                Colour
              </Th>
              <Th {...head} scope="col" textAlign="right">
                dE before
              </Th>
              <Th {...head} scope="col" textAlign="right">
                dE after
              </Th>
              <Th {...head} scope="col" textAlign="right">
                Δu′v′ after
              </Th>
              <Th {...head} scope="col" textAlign="right">
                Luminance, %
              </Th>
            </tr>
          </thead>
          <tbody>
            {attempt.residuals?.map((r) => (
              <tr key={r.name}>
                <Td {...cell} py="3px">
                  {r.name}
                </Td>
                {[
                  r.de_before.toFixed(2),
                  r.de_after.toFixed(2),
                  r.duv_after.toFixed(4),
                  signed(r.luminance_percent, 2),
                ].map((v, i) => (
                  // biome-ignore lint/suspicious/noArrayIndexKey: columns never move
                  <Td {...cell} key={i} py="3px" textAlign="right">
                    <Mono>{v.replace("-", "−")}</Mono>
                  </Td>
                ))}
              </tr>
            ))}
          </tbody>
        </chakra.table>
      </Wide>
      <Flex gap="8px" mt="12px">
        <LampButton onClick={() => keep.mutate()} loading={keep.isPending}>
          Keep it for {PANELS[attempt.panel]} panels
        </LampButton>
        <QuietButton onClick={() => drop.mutate()}>Discard</QuietButton>
      </Flex>
      {keep.error && <ProblemNote error={keep.error} />}
    </Box>
  );
}

function Making({ attempt }: { attempt: Attempt }) {
  const drop = useAct(() => call("DELETE", "/corrections/attempt"), ["instruments", "bench"]);
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
          <Box h="3px" bg="lineSoft" mt="8px" maxW="420px">
            <Box h="3px" bg="lamp" style={{ width: `${(100 * attempt.done) / attempt.total}%` }} />
          </Box>
        </>
      )}
      <QuietButton mt="10px" onClick={() => drop.mutate()}>
        {attempt.step === "failed" ? "Close" : "Give up"}
      </QuietButton>
    </Box>
  );
}

function NewCorrection({ view }: { view: View }) {
  const shelf = useShelf();
  const [review, setReview] = useState<number | null>(null);
  const chosen = review ?? shelf.data?.[0]?.id ?? null;
  const start = useAct(
    (body: { review: number; setup: number }) => call("POST", "/corrections/attempt", body),
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

/** Meters, their state and their corrections. */
export default function InstrumentsView() {
  const view = useInstruments();
  const go = useNavigate();
  useKeys("view", { back: () => go(-1) });
  useTitle("Instruments");
  if (view.error) {
    return (
      <Quiet>
        <ProblemNote error={view.error} />
      </Quiet>
    );
  }
  if (!view.data) return <Quiet>Loading</Quiet>;
  return (
    <Box maxW="1280px" mx="auto" px="16px" py="12px">
      <Flex align="center" mb="14px">
        <Text as="h1" fontSize="18px" fontWeight="600">
          Instruments
        </Text>
        <Box flex="1" />
        <Text color="ink2">
          back <Key>esc</Key>
        </Text>
      </Flex>
      <Grid gap="30px" templateColumns="minmax(0, 1fr)">
        <Meters view={view.data} />
        <Box as="section" aria-label="New correction">
          <Text as="h2" fontWeight="600" fontSize="15px" mb="4px">
            New correction
          </Text>
          <NewCorrection view={view.data} />
        </Box>
        <Box as="section" aria-label="Corrections">
          <Text as="h2" fontWeight="600" fontSize="15px" mb="4px">
            Corrections of the working meter
          </Text>
          {view.data.corrections.length === 0 ? (
            <Text color="ink2">
              None yet. Without one, runs are read with the meter's own filters and are marked as uncorrected.
            </Text>
          ) : (
            <Wide label="Corrections">
              <chakra.table w="100%" css={{ borderCollapse: "collapse" }} data-testid="corrections">
                <thead>
                  <tr>
                    <Th {...head} scope="col">
                      Panel type
                    </Th>
                    <Th {...head} scope="col">
                      Made on
                    </Th>
                    <Th {...head} scope="col">
                      Reference
                    </Th>
                    <Th {...head} scope="col">
                      Date
                    </Th>
                    <Th {...head} scope="col" textAlign="right">
                      dE left, mean
                    </Th>
                    <Th {...head} scope="col" textAlign="right">
                      worst
                    </Th>
                    <Th {...head} scope="col" textAlign="right">
                      without it
                    </Th>
                    <Th {...head} textAlign="right" pr="0">
                      Runs
                    </Th>
                  </tr>
                </thead>
                <tbody>
                  {view.data.corrections.map((c) => (
                    <tr key={c.id} title={c.matrix.map((r) => r.map((v) => v.toFixed(5)).join("  ")).join("\n")}>
                      <Td {...cell} fontWeight={c.current ? 500 : 400} color={c.current ? "ink" : "ink2"}>
                        {PANELS[c.panel]}{" "}
                        {c.current && (
                          <chakra.span
                            border="1px solid"
                            borderColor="line"
                            borderRadius="3px"
                            px="5px"
                            fontSize="11px"
                            color="ink3"
                          >
                            in use
                          </chakra.span>
                        )}
                      </Td>
                      <Td {...cell} color="ink2">
                        {c.made_on}
                      </Td>
                      <Td {...cell} color="ink2">
                        {c.reference}
                      </Td>
                      <Td {...cell} color="ink2" whiteSpace="nowrap">
                        {new Date(c.made_at).toLocaleDateString("en-GB", { dateStyle: "medium" })}
                      </Td>
                      {[c.residual.de2000_mean, c.residual.de2000_worst, c.residual.de2000_before_mean].map((v, i) => (
                        // biome-ignore lint/suspicious/noArrayIndexKey: columns never move
                        <Td {...cell} key={i} textAlign="right">
                          <Mono>{v?.toFixed(2) ?? "–"}</Mono>
                        </Td>
                      ))}
                      <Td {...cell} textAlign="right" pr="0">
                        <Mono>{c.runs}</Mono>
                      </Td>
                    </tr>
                  ))}
                </tbody>
              </chakra.table>
            </Wide>
          )}
        </Box>
      </Grid>
    </Box>
  );
}
