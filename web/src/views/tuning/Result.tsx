import { Box, chakra, Flex, Table, Text } from "@chakra-ui/react";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { useAct } from "../../api/act";
import { api, got, type Tuning, type Worth } from "../../api/client";
import { Key, LampButton, Mono, ProblemNote, QuietButton, Wide } from "../../kit/basics";
import { Choice, Field } from "../../kit/field";
import { Labelled } from "../../kit/Labelled";
import { number, signed } from "../../pictures/common";
import { useBoard } from "../board/queries";
import { useCarried, useWorth } from "./queries";

const A = chakra(Link);

/** How each goal ended, and what the result differs by. */
export function Outcome({ tuning }: { tuning: Tuning }) {
  return (
    <Box data-testid="outcome">
      {tuning.outcomes.map((o) => (
        <Box key={o.goal} mb="8px">
          <Text color="ink3" fontSize="11px">
            {o.title}
          </Text>
          <Text color={o.unreached ? "lamp" : undefined}>{o.reason}</Text>
        </Box>
      ))}
      {tuning.settings.length === 0 ? (
        <Text mt="8px">No improvement found. Keep the original settings.</Text>
      ) : (
        <Table.Root fontSize="13px" w="auto" mt="6px" aria-label="What differs">
          <Table.Header>
            <Table.Row>
              <Table.ColumnHeader pl="0">Control</Table.ColumnHeader>
              <Table.ColumnHeader textAlign="end">was</Table.ColumnHeader>
              <Table.ColumnHeader textAlign="end">now</Table.ColumnHeader>
            </Table.Row>
          </Table.Header>
          <Table.Body>
            {tuning.settings.map((s) => (
              <Table.Row key={s.path} data-testid="setting" data-path={s.path}>
                <Table.Cell pl="0" pr="16px" py="3px">
                  <Text as="span" color="ink3" fontSize="12px">
                    {s.path.split(" > ").slice(0, -1).join(" › ")}
                    {s.path.includes(" > ") ? " › " : ""}
                  </Text>
                  {s.path.split(" > ").at(-1)}
                </Table.Cell>
                <Table.Cell textAlign="end" color="ink3">
                  <Mono>{s.was}</Mono>
                </Table.Cell>
                <Table.Cell textAlign="end" fontWeight="600">
                  <Mono>{s.value}</Mono>
                </Table.Cell>
              </Table.Row>
            ))}
          </Table.Body>
        </Table.Root>
      )}
      {tuning.by_hand && tuning.state === "found" && tuning.settings.length > 0 && (
        <Text color="ink2" fontSize="12.5px" mt="8px">
          Check the menu before you save: its values should match these.
        </Text>
      )}
    </Box>
  );
}

/** Keep what was found as a setup. */
export function Keep({
  tuning,
  error,
  busy,
  onKeep,
}: {
  tuning: Tuning;
  error: unknown;
  busy: boolean;
  onKeep: (name: string) => void;
}) {
  const [name, setName] = useState(tuning.result_name);
  return (
    <Box mt="18px">
      <Flex gap="10px" align="end">
        <Labelled label="Save as a setup named" width="230px">
          <Field
            w="100%"
            value={name}
            onChange={(e) => setName(e.target.value)}
            maxLength={80}
            onKeyDown={(e) => e.key === "Enter" && onKeep(name)}
            data-testid="result-name"
          />
        </Labelled>
        <LampButton disabled={busy || !name.trim()} onClick={() => onKeep(name)} data-testid="keep-result">
          Save
        </LampButton>
      </Flex>
      {error != null && <ProblemNote error={error} />}
    </Box>
  );
}

function Figures({ worth }: { worth: Worth }) {
  return (
    <Wide label="Before and after">
      <Table.Root fontSize="13px" w="auto" mt="12px" aria-label="Before and after">
        <Table.Header>
          <Table.Row>
            <Table.ColumnHeader pl="0">Figure</Table.ColumnHeader>
            <Table.ColumnHeader textAlign="end">before</Table.ColumnHeader>
            <Table.ColumnHeader textAlign="end">after</Table.ColumnHeader>
            <Table.ColumnHeader textAlign="end" title="Improvement with its 95 % interval">
              gain
            </Table.ColumnHeader>
          </Table.Row>
        </Table.Header>
        <Table.Body>
          {worth.figures.map((f) => {
            const cost = f.figure === "white_black.white_cd_m2" || f.figure === "white_black.contrast_ratio";
            return (
              <Table.Row key={f.figure} data-testid="paired" data-figure={f.figure}>
                <Table.Cell pl="0" pr="14px" py="3px">
                  {f.title}{" "}
                  <Text as="span" color="ink3">
                    {f.unit}
                  </Text>
                </Table.Cell>
                <Table.Cell textAlign="end">
                  <Mono>{number(f.before, f.decimals)}</Mono>
                </Table.Cell>
                <Table.Cell textAlign="end">
                  <Mono>{number(f.after, f.decimals)}</Mono>
                </Table.Cell>
                <Table.Cell textAlign="end" whiteSpace="nowrap">
                  {f.gain != null && (
                    <Mono color={!cost && f.low != null && f.low > 0 ? "ink" : "ink3"}>
                      {signed(f.gain, f.decimals)}
                      {f.low != null && f.high != null && (
                        <Text as="span" color="ink3" fontSize="11px">
                          {" "}
                          {signed(f.low, f.decimals)} … {signed(f.high, f.decimals)}
                        </Text>
                      )}
                    </Mono>
                  )}
                </Table.Cell>
              </Table.Row>
            );
          })}
        </Table.Body>
      </Table.Root>
    </Wide>
  );
}

/** The values tried in another mode: they may be worth it there too, or not. */
function ElsewhereToo({ tuning }: { tuning: Tuning }) {
  const go = useNavigate();
  const board = useBoard(tuning.review);
  const carried = useCarried(tuning);
  const rows = (board.data?.rows ?? []).filter(
    (r) => r.mode !== board.data?.rows.find((x) => x.setup === tuning.setup)?.mode && !r.nested && r.signal === "sdr",
  );
  const sample = board.data?.rows.find((x) => x.setup === tuning.setup)?.sample;
  const others = rows.filter((r) => r.sample === sample);
  const [to, setTo] = useState<number | null>(null);
  const chosen = others.find((r) => r.setup === to) ?? others[0];
  const carry = useAct(
    (setup: number) =>
      got(
        api.POST("/api/v1/tunings/{tuning}/carried", {
          params: { path: { tuning: tuning.id } },
          body: { setup, name: `${chosen?.name} with ${tuning.result_name}`.slice(0, 80) },
        }),
      ),
    ["tuning", "board", "bench", "shelf", "verdict"],
  );
  if (!chosen) return null;
  return (
    <Box mt="20px" data-testid="elsewhere">
      <Text as="h2" fontWeight="600" mb="6px">
        In another mode too?
      </Text>
      {carried.data?.map((c) => (
        <Box key={c.setup} mb="10px" data-testid="carried">
          <Text>
            <A to={`/review/${tuning.review}/recipe/${c.setup}`} textDecoration="underline dotted">
              {c.name}
            </A>
            {c.worth.proven ? `: ${c.worth.sentence}` : ": being measured, before and after."}
          </Text>
        </Box>
      ))}
      <Flex gap="8px" align="center" wrap="wrap">
        <Choice
          aria-label="Mode to copy the values to"
          w="200px"
          h="30px"
          value={String(chosen.setup)}
          choices={Object.fromEntries(others.map((r) => [String(r.setup), r.name]))}
          onChange={(v) => setTo(Number(v))}
        />
        <QuietButton
          disabled={carry.isPending || carried.data?.some((c) => c.from_name === chosen.name)}
          onClick={() =>
            carry.mutate(chosen.setup, {
              onSuccess: (made) => tuning.by_hand && go(`/review/${tuning.review}/hand/${made.run}`),
            })
          }
          data-testid="carry"
        >
          Enter these values there and measure
        </QuietButton>
      </Flex>
      {carry.error && <ProblemNote error={carry.error} />}
    </Box>
  );
}

/** Whether the result is worth entering, once it was proven. */
export function IsItWorthIt({
  tuning,
  busy,
  error,
  onProve,
}: {
  tuning: Tuning;
  busy: boolean;
  error: unknown;
  onProve: () => void;
}) {
  const worth = useWorth(tuning);
  const w = worth.data;
  return (
    <Box mt="18px" borderTop="1px solid" borderColor="lineSoft" pt="14px" data-testid="worth">
      <Text as="h2" fontWeight="600">
        Is it worth it?
      </Text>
      {worth.error && <ProblemNote error={worth.error} />}
      {w && !w.proven && (
        <>
          <Text color="ink2" mt="4px" mb="10px">
            Kept as {tuning.result_name}. White, greys and corners of both, read again from the menu as it stands, say
            what was gained.
          </Text>
          <LampButton onClick={onProve} disabled={busy} data-testid="prove">
            Prove it
          </LampButton>
        </>
      )}
      {w?.proven && (
        <>
          <Text fontSize="15px" mt="4px" data-testid="worth-sentence">
            {w.sentence}
          </Text>
          <Figures worth={w} />
          <Flex gap="8px" mt="14px" wrap="wrap">
            <QuietButton asChild>
              <A to={`/review/${tuning.review}/recipe/${tuning.result}`} data-testid="to-recipe">
                Recipe and replay
              </A>
            </QuietButton>
            <QuietButton asChild>
              <A to={`/review/${tuning.review}/plates/${tuning.result}/grey_ramp?overlay=${tuning.setup}`}>
                Before and after
              </A>
            </QuietButton>
            <QuietButton asChild>
              <A to={`/review/${tuning.review}`}>
                Board <Key>esc</Key>
              </A>
            </QuietButton>
          </Flex>
          <ElsewhereToo tuning={tuning} />
        </>
      )}
      {error != null && <ProblemNote error={error} />}
    </Box>
  );
}
