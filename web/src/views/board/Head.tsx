import { Box, chakra, Flex, Text } from "@chakra-ui/react";
import { Link } from "react-router";
import { useAct } from "../../api/act";
import { api, type Board, from, got } from "../../api/client";
import { useKeys } from "../../app/keys";
import { Key, Mono, ProblemNote, QuietButton } from "../../kit/basics";
import { Choice } from "../../kit/field";
import { NotchedRule } from "../../kit/NotchedRule";
import { judgeFor } from "../../kit/purpose";
import { UNDO_KEYS } from "./keys";
import type { Saved } from "./SettingsDialog";

const To = chakra(Link);

/** What the rows are scored for, and the best of them; a person switches between purposes here. */
export function Headline({ board }: { board: Board }) {
  const h = board.headline.find((b) => b.purpose === board.purpose);
  const chosen = board.purposes.find((p) => p.key === board.purpose);
  return (
    <Box>
      <Flex align="center" gap="8px" mb="2px" title={chosen?.meaning}>
        <Choice
          aria-label="Score the rows for"
          h="24px"
          w="172px"
          value={board.purpose}
          choices={Object.fromEntries(board.purposes.map((p) => [p.key, p.title]))}
          onChange={judgeFor}
        />
        <Key>w</Key>
        <To to={`/purposes?review=${board.review.id}`} color="ink3" fontSize="11px" textDecoration="underline dotted">
          weights
        </To>
      </Flex>
      {h ? (
        <Flex align="center" gap="8px" data-testid="headline">
          <Mono fontSize="15px" fontWeight="500">
            {h.value == null ? "–" : Math.round(h.value)}
            {h.low != null && h.high != null && (
              <Mono fontSize="11px" color="ink3">
                {" "}
                {Math.round(h.low)} to {Math.round(h.high)}
              </Mono>
            )}
          </Mono>
          <NotchedRule points={h.value ?? null} low={h.low} high={h.high} width={56} />
          <Text color="ink3" fontSize="11px" maxW="150px" truncate title={h.mode}>
            {h.mode}
          </Text>
        </Flex>
      ) : (
        <Text color="ink3" fontSize="11px" data-testid="headline">
          no score yet; <Key>3</Key> selects what it needs
        </Text>
      )}
    </Box>
  );
}

/** What was changed a moment ago, and how to take it back. */
export function Undo({ saved, review, done }: { saved: Saved; review: number; done: () => void }) {
  const back = useAct(
    () =>
      got(
        api.POST("/api/v1/reviews/{review}/setups/{setup}/undo", {
          params: { path: { review, setup: saved.setup } },
          ...from(saved.version),
        }),
      ),
    ["board", "setup", "verdict", "shelf"],
  );
  const undo = () => back.mutate(undefined, { onSuccess: done });
  useKeys(UNDO_KEYS, { undo });
  return (
    <Flex
      px="16px"
      py="7px"
      gap="12px"
      align="center"
      borderBottom="1px solid"
      borderColor="lineSoft"
      bg="sheet"
      role="status"
    >
      <Text>{saved.name} was changed; what was measured otherwise is stale.</Text>
      <QuietButton h="24px" onClick={undo}>
        Undo <Key>u</Key>
      </QuietButton>
      <QuietButton h="24px" border="none" onClick={done} aria-label="Close this note">
        ×
      </QuietButton>
      {back.error && <ProblemNote error={back.error} />}
    </Flex>
  );
}
