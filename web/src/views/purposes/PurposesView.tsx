import { Box, chakra, Flex, Grid, Text } from "@chakra-ui/react";
import { useState } from "react";
import { useNavigate, useSearchParams } from "react-router";
import type { PurposeView } from "../../api/client";
import { useKeys } from "../../app/keys";
import { Failed, Key, LampButton, Quiet } from "../../kit/basics";
import { Choice } from "../../kit/field";
import { judgeFor, nextPurpose, usePurpose } from "../../kit/purpose";
import { useShelf } from "../shelf/queries";
import { PURPOSES_KEYS } from "./keys";
import { definitionOf, PurposeForm, Weights } from "./PurposeForm";
import { usePurposes } from "./queries";
import { Scores } from "./Scores";

function List({ purposes, chosen }: { purposes: PurposeView[]; chosen: string }) {
  return (
    <Box as="ul" listStyleType="none" aria-label="Purposes">
      {purposes.map((p) => (
        <Box as="li" key={p.key} borderBottom="1px solid" borderColor="lineSoft">
          <chakra.button
            type="button"
            aria-pressed={p.key === chosen}
            onClick={() => judgeFor(p.key)}
            w="100%"
            textAlign="left"
            px="10px"
            py="7px"
            cursor="pointer"
            bg={p.key === chosen ? "raised" : undefined}
            _hover={{ bg: "raised" }}
          >
            <Text fontWeight={p.key === chosen ? 600 : 500}>
              {p.title}
              {p.added && (
                <chakra.span color="ink3" fontWeight="400" fontSize="11px">
                  {" "}
                  · yours
                </chakra.span>
              )}
            </Text>
            <Text color="ink3" fontSize="11px">
              {p.meaning}
            </Text>
          </chakra.button>
        </Box>
      ))}
    </Box>
  );
}

/** What displays are judged for: how figures become points, what each purpose weighs, and how setups score for it. */
export default function PurposesView() {
  const rubric = usePurposes();
  const shelf = useShelf();
  const chosen = usePurpose();
  const go = useNavigate();
  const [search, setSearch] = useSearchParams();
  // What is being written: a new purpose from another, or one that is changed.
  const [form, setForm] = useState<{ like: PurposeView; key: string | null } | null>(null);
  const shown = rubric.data?.purposes.find((p) => p.key === chosen) ?? rubric.data?.purposes[0];
  const move = (by: number) => !form && nextPurpose(rubric.data?.purposes ?? [], by);
  useKeys(PURPOSES_KEYS, {
    next: () => move(1),
    before: () => move(-1),
    add: () => shown && !form && setForm({ like: shown, key: null }),
    back: () => (form ? setForm(null) : go(-1)),
  });
  const problem = rubric.error ?? shelf.error;
  if (problem) return <Failed error={problem} />;
  if (!rubric.data || !shelf.data || !shown) return <Quiet>Loading</Quiet>;
  const reviews = shelf.data;
  const asked = Number(search.get("review"));
  const review = (reviews.find((r) => r.id === asked) ?? reviews.find((r) => r.headline.length) ?? reviews[0])?.id;
  const onReview = (id: string) => setSearch({ review: id }, { replace: true });
  const picker = review !== undefined && (
    <Choice
      aria-label="Review"
      w="100%"
      value={String(review)}
      choices={Object.fromEntries(reviews.map((r) => [String(r.id), r.name]))}
      onChange={onReview}
    />
  );
  return (
    <Box maxW="1380px" mx="auto" px="16px" py="12px">
      <Flex align="center" mb="10px" gap="6px 14px" wrap="wrap">
        <Text as="h1" fontSize="18px" fontWeight="600">
          Purposes
        </Text>
        <Text color="ink2">
          what a display is wanted for decides how much each figure counts · rubric {rubric.data.name}{" "}
          {rubric.data.version}
        </Text>
        <Box flex="1" />
        {!form && (
          <LampButton onClick={() => setForm({ like: shown, key: null })}>
            A purpose of your own <Key on>a</Key>
          </LampButton>
        )}
      </Flex>
      {form ? (
        <PurposeForm
          key={`${form.like.key} ${form.key}`}
          like={form.like}
          changes={form.key}
          rules={rubric.data.rules}
          review={review ?? null}
          picker={picker}
          done={(key) => {
            if (key) judgeFor(key);
            setForm(null);
          }}
        />
      ) : (
        <Grid
          templateColumns={{ base: "minmax(0, 1fr)", lg: "250px minmax(0, 1fr) 300px" }}
          gap="22px"
          alignItems="start"
        >
          <List purposes={rubric.data.purposes} chosen={shown.key} />
          <Weights purpose={shown} rules={rubric.data.rules} change={() => setForm({ like: shown, key: shown.key })} />
          <Scores review={review ?? null} definition={definitionOf(shown)} picker={picker} />
        </Grid>
      )}
    </Box>
  );
}
