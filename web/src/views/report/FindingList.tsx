import { Box, chakra, Flex, Text, Textarea } from "@chakra-ui/react";
import type { FindingBlock } from "../../api/client";
import { Key, QuietButton } from "../../kit/basics";
import { choiceOf, chosen, type Edit, movedBy, toggled, toldOf } from "./edit";
import { MovedNote } from "./Texts";

const KIND = { fault: "fault", strength: "strength", note: "comparison" } as const;

interface Props {
  findings: FindingBlock[];
  edit: Edit;
  change: (make: (old: Edit) => Edit) => void;
  confirm: (name: string) => void;
  chosenKey: string | null;
  choose: (key: string, at: number | null) => void;
  /** The finding whose sentence is being written. */
  writing: string | null;
  write: (key: string | null) => void;
}

/** Findings in the order of the report, and below those that it leaves out. */
export function FindingList(props: Props) {
  const { findings, edit } = props;
  const told = toldOf(edit, findings);
  const out = findings.filter((f) => !told.includes(f));
  return (
    <Box as="section" aria-label="Findings" mb="24px">
      <Text as="h2" fontWeight="600" fontSize="15px">
        What we found
      </Text>
      <Text color="ink3" mb="4px">
        In the order of the report. Lumenar chooses the most visible ones; you can change that.
      </Text>
      <Text color="ink3" mb="6px" fontSize="12px">
        <Key>↑</Key> <Key>↓</Key> choose, with Shift they move · <Key>e</Key> rewords · <Key>x</Key> leaves out or puts
        in · <Key>c</Key> chart
      </Text>
      <Box as="ol" listStyleType="none">
        {told.map((f, i) => (
          <Row key={f.key} f={f} at={i} of={told.length} {...props} />
        ))}
      </Box>
      {out.length > 0 && (
        <>
          <Text as="h3" fontWeight="500" mt="12px" color="ink2">
            Left out of the report
          </Text>
          <Box as="ul" listStyleType="none" aria-label="Left out of the report">
            {out.map((f) => (
              <Row key={f.key} f={f} at={null} of={told.length} {...props} />
            ))}
          </Box>
        </>
      )}
    </Box>
  );
}

function Row({
  f,
  at,
  of,
  findings,
  edit,
  change,
  confirm,
  chosenKey,
  choose,
  writing,
  write,
}: Props & { f: FindingBlock; at: number | null; of: number }) {
  const choice = choiceOf(edit, f.key);
  const sentence = choice.text ?? f.wording.automatic;
  const short = sentence.slice(0, 50);
  const told = at !== null;
  const here = chosenKey === f.key;
  const pick = () => choose(f.key, at);
  return (
    <Flex
      as="li"
      id={`finding-${f.key}`}
      gap="10px"
      py="7px"
      px="8px"
      borderTop="1px solid"
      borderColor="lineSoft"
      bg={here ? "raised" : undefined}
      aria-current={here ? "true" : undefined}
      onClick={pick}
      data-testid={told ? "told" : "left-out"}
    >
      <Box flex="1" minW="0">
        {writing === f.key ? (
          <Textarea
            autoFocus
            w="100%"
            rows={2}
            css={{ fieldSizing: "content" }}
            aria-label={`Your sentence for: ${f.wording.automatic}`}
            value={choice.text ?? f.wording.automatic}
            onFocus={(e) => {
              // Most sentences are gone on with rather than written anew.
              e.currentTarget.setSelectionRange(e.currentTarget.value.length, e.currentTarget.value.length);
              pick();
            }}
            onChange={(e) => {
              const typed = e.target.value;
              const own = typed.trim() === "" || typed === f.wording.automatic ? null : typed;
              change((old) => chosen(old, f.key, { text: own }));
            }}
            onBlur={() => write(null)}
          />
        ) : (
          <Flex gap="10px" align="baseline">
            <chakra.button
              type="button"
              flex="1"
              textAlign="left"
              cursor="pointer"
              color={told ? undefined : "ink2"}
              aria-expanded={here}
              onFocus={pick}
            >
              {sentence}
            </chakra.button>
            <Text color="ink3" fontSize="12px" whiteSpace="nowrap">
              {!f.found ? "no longer found; your words are kept" : choice.text != null ? "your sentence" : KIND[f.kind]}
            </Text>
          </Flex>
        )}
        <MovedNote wording={f.wording} text={choice.text ?? null} onConfirm={() => confirm(f.wording.name)} />
        {f.found && here && (
          <Flex gap="6px" mt="6px" wrap="wrap">
            {told && (
              <>
                <QuietButton
                  h="24px"
                  aria-label={`Move up: ${short}`}
                  disabled={at === 0}
                  onClick={() => change((old) => movedBy(old, findings, f.key, -1))}
                >
                  Up
                </QuietButton>
                <QuietButton
                  h="24px"
                  aria-label={`Move down: ${short}`}
                  disabled={at === of - 1}
                  onClick={() => change((old) => movedBy(old, findings, f.key, 1))}
                >
                  Down
                </QuietButton>
                <QuietButton h="24px" aria-label={`Reword: ${short}`} onClick={() => write(f.key)}>
                  Reword
                </QuietButton>
                {choice.text != null && (
                  <QuietButton
                    h="24px"
                    aria-label={`Use Lumenar’s sentence: ${short}`}
                    onClick={() => change((old) => chosen(old, f.key, { text: null }))}
                  >
                    Use Lumenar’s sentence
                  </QuietButton>
                )}
                {f.has_chart && (
                  <QuietButton
                    h="24px"
                    aria-pressed={choice.chart}
                    aria-label={`Chart: ${short}`}
                    onClick={() => change((old) => chosen(old, f.key, { chart: !choice.chart }))}
                  >
                    {choice.chart ? "With chart" : "Without chart"}
                  </QuietButton>
                )}
              </>
            )}
            <QuietButton
              h="24px"
              aria-label={`${told ? "Leave out" : "Put in"}: ${short}`}
              onClick={() => change((old) => toggled(old, f))}
            >
              {told ? "Leave out" : "Put in"}
            </QuietButton>
          </Flex>
        )}
      </Box>
    </Flex>
  );
}
