import { Box, Flex, Text } from "@chakra-ui/react";
import { useState } from "react";
import { useAct } from "../../../api/act";
import { api, from, got, type SetupView } from "../../../api/client";
import { Mono, ProblemNote, QuietButton } from "../../../kit/basics";
import { short } from "../../../kit/paths";
import { Tick } from "../../../kit/toggles";
import { useHistory, useRecall } from "../queries";

/** What to enter, step by step, to bring a setup back after an accident; each step can be ticked off. */
export function RecallList({ review, view }: { review: number; view: SetupView }) {
  const list = useRecall(review, view.setup);
  const [done, setDone] = useState<ReadonlySet<string>>(new Set());
  if (list.error) return <ProblemNote error={list.error} />;
  if (!list.data) return <Mono color="ink3">Loading</Mono>;
  const { steps, mode, unknown } = list.data;
  const tick = (path: string) =>
    setDone((old) => {
      const next = new Set(old);
      if (!next.delete(path)) next.add(path);
      return next;
    });
  return (
    <Box maxH="46vh" overflowY="auto">
      <Text color="ink2" mb="8px">
        From {mode} as it ships, in an order in which no step undoes another.
        {steps.length === 0 && " There is nothing to enter: choose the mode, and reset it."}
      </Text>
      <Box as="ol" listStyleType="none">
        {[{ path: "Mode", value: mode, before: null, resets: [], locks: [], frees: [], place: "unit" }, ...steps].map(
          (s, i) => {
            const brings = [
              s.resets.length > 0 && `resets ${s.resets.map(short).join(", ")}`,
              s.locks.length > 0 && `locks ${s.locks.map(short).join(", ")}`,
              s.frees.length > 0 && `frees ${s.frees.map(short).join(", ")}`,
            ].filter(Boolean);
            return (
              <Flex as="li" key={s.path} gap="10px" py="3px" align="baseline" data-testid="recall-step">
                <Box opacity={done.has(s.path) ? 0.55 : 1}>
                  <Tick checked={done.has(s.path)} onChange={() => tick(s.path)}>
                    <Mono color="ink3" mr="6px">
                      {i + 1}
                    </Mono>{" "}
                    {s.path.replaceAll(">", "›")} <Mono fontWeight="500">{String(s.value)}</Mono>
                  </Tick>
                </Box>
                <Text color="ink3" fontSize="11.5px">
                  {[s.before != null && `shows ${s.before} till then`, ...brings].filter(Boolean).join("; ")}
                </Text>
              </Flex>
            );
          },
        )}
      </Box>
      {unknown.length > 0 && (
        <Text color="ink2" mt="8px">
          It is not recorded what {unknown.map(short).join(", ")} {unknown.length === 1 ? "was" : "were"}.
        </Text>
      )}
    </Box>
  );
}

/** What was changed of a setup, the newest first; the last change can be taken back. */
export function PastChanges({ review, view, touched }: { review: number; view: SetupView; touched: string[] }) {
  const past = useHistory(review, view.setup);
  const undo = useAct(
    () =>
      got(
        api.POST("/api/v1/reviews/{review}/setups/{setup}/undo", {
          params: { path: { review, setup: view.setup } },
          ...from(view.version),
        }),
      ),
    touched,
  );
  if (past.error) return <ProblemNote error={past.error} />;
  if (!past.data) return <Mono color="ink3">Loading</Mono>;
  if (past.data.length === 0) return <Text color="ink2">Nothing was changed of {view.name} yet.</Text>;
  return (
    <Box maxH="46vh" overflowY="auto">
      {past.data.map((c, i) => (
        <Flex key={c.number} gap="14px" py="4px" align="baseline" data-testid="past-change">
          <Mono color="ink3" whiteSpace="nowrap">
            {new Date(c.changed_at).toLocaleString("en-GB", { dateStyle: "short", timeStyle: "short" })}
          </Mono>
          <Text flex="1">{c.words.map((w) => w.replaceAll(" > ", " › ")).join("; ") || "nothing that shows"}</Text>
          {i === 0 && (
            <QuietButton onClick={() => undo.mutate()} loading={undo.isPending}>
              Take it back
            </QuietButton>
          )}
        </Flex>
      ))}
      {undo.error && <ProblemNote error={undo.error} />}
    </Box>
  );
}
