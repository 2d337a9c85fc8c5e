import { Box, Flex, Grid, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Claim, type DraftReport, got } from "../../api/client";
import { ProblemNote, QuietButton } from "../../kit/basics";
import { Choice, Field } from "../../kit/field";
import { NumberField } from "../../kit/NumberField";
import type { Edit } from "./edit";
import { claimableQuery } from "./queries";

const COMPARISONS = { at_least: "at least", at_most: "at most" } as const;
type NewClaim = Edit["claims"][number];

interface Props {
  report: DraftReport;
  edit: Edit;
  change: (make: (old: Edit) => Edit) => void;
}

const newClaim = (c: Claim): NewClaim => ({
  words: c.words,
  figure: c.figure,
  comparison: c.comparison,
  number: c.number,
  decimals: c.decimals,
});

/** What the maker claims: typed in the maker's words, understood, and tested at once. */
export function Claims({ report, edit, change }: Props) {
  const [words, setWords] = useState("");
  const [error, setError] = useState<unknown>(null);
  const figures = useQuery(claimableQuery);
  const add = (claims: readonly Claim[]) =>
    change((old) => ({ ...old, claims: [...old.claims, ...claims.map(newClaim)] }));
  const understand = async () => {
    if (words.trim() === "") return;
    try {
      add(await got(api.GET("/api/v1/claims/understood", { params: { query: { words: words.trim() } } })));
      setWords("");
      setError(null);
    } catch (e) {
      setError(e);
    }
  };
  const offered = report.offered_claims.filter((c) => !edit.claims.some((k) => k.words === c.words));
  return (
    <Box as="section" aria-label="Claims" mb="24px">
      <Text as="h2" fontWeight="600" fontSize="15px">
        What the maker claims
      </Text>
      <Text color="ink3" mb="6px">
        Type a claim in the maker’s words. Lumenar proposes a figure to test it by; you can change it.
      </Text>
      {edit.claims.map((claim, i) => (
        <OneClaim
          // biome-ignore lint/suspicious/noArrayIndexKey: claims have no name but their place
          key={i}
          claim={claim}
          outcome={report.claims[i] && sameClaim(report.claims[i], claim) ? (report.outcomes[i] ?? "") : ""}
          figures={figures.data ?? []}
          onChange={(next) =>
            change((old) => ({
              ...old,
              claims: old.claims.flatMap((c, k) => (k !== i ? [c] : next === null ? [] : [next])),
            }))
          }
        />
      ))}
      <Flex gap="8px" mt="6px">
        <Field
          h="30px"
          flex="1"
          aria-label="A claim in the maker’s words"
          placeholder="For example: covers 99 % of P3"
          maxLength={200}
          value={words}
          onChange={(e) => setWords(e.target.value)}
          onKeyDown={(e) => {
            if (e.key === "Enter") void understand();
          }}
        />
        <QuietButton onClick={understand}>Add the claim</QuietButton>
      </Flex>
      {error != null && <ProblemNote error={error} />}
      {offered.length > 0 && (
        <Flex gap="8px" mt="8px" align="center" wrap="wrap">
          <Text color="ink3">Came with the display:</Text>
          {[...new Set(offered.map((c) => c.words))].map((w) => (
            <QuietButton key={w} h="26px" onClick={() => add(offered.filter((c) => c.words === w))}>
              Add “{w}”
            </QuietButton>
          ))}
        </Flex>
      )}
    </Box>
  );
}

const sameClaim = (a: Claim, b: NewClaim) =>
  a.words === b.words && a.figure === b.figure && a.comparison === b.comparison && a.number === b.number;

interface OneProps {
  claim: NewClaim;
  outcome: string;
  figures: { name: string; title: string; unit: string }[];
  /** Null takes it away. */
  onChange: (claim: NewClaim | null) => void;
}

function OneClaim({ claim, outcome, figures, onChange }: OneProps) {
  const choices = { "": "no figure tests it", ...Object.fromEntries(figures.map((f) => [f.name, f.title])) };
  const unit = figures.find((f) => f.name === claim.figure)?.unit;
  const short = claim.words.slice(0, 40);
  return (
    <Box borderTop="1px solid" borderColor="lineSoft" py="8px" data-testid="claim">
      <Flex gap="8px" align="baseline">
        <Text flex="1" fontWeight="500">
          “{claim.words}”
        </Text>
        <QuietButton h="24px" aria-label={`Remove: ${short}`} onClick={() => onChange(null)}>
          Remove
        </QuietButton>
      </Flex>
      <Grid templateColumns="minmax(0, 1fr) 90px 90px auto" gap="8px" mt="4px" alignItems="center">
        <Choice
          h="28px"
          w="100%"
          aria-label={`Figure that tests: ${short}`}
          value={claim.figure ?? ""}
          choices={choices as Record<string, string>}
          onChange={(figure) => onChange({ ...claim, figure })}
        />
        {claim.figure ? (
          <>
            <Choice
              h="28px"
              aria-label={`Comparison of: ${short}`}
              value={claim.comparison ?? "at_least"}
              choices={COMPARISONS}
              onChange={(comparison) => onChange({ ...claim, comparison })}
            />
            <NumberField
              h="28px"
              name={`Number of: ${short}`}
              value={claim.number ?? 0}
              min={0}
              max={1e9}
              onChange={(n) => {
                if (n === null || !Number.isFinite(n)) return;
                onChange({ ...claim, number: n, decimals: String(n).split(".")[1]?.length ?? 0 });
              }}
            />
            <Text color="ink3" whiteSpace="nowrap">
              {unit}
            </Text>
          </>
        ) : null}
      </Grid>
      <Text color="ink2" mt="4px" data-testid="outcome">
        {outcome}
      </Text>
    </Box>
  );
}
