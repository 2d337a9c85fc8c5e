import { Box, Flex, Grid, Text, Textarea } from "@chakra-ui/react";
import type { DraftReport } from "../../api/client";
import { QuietButton } from "../../kit/basics";
import { Choice, Field } from "../../kit/field";
import { Labelled } from "../../kit/Labelled";
import type { Edit } from "./edit";

const SECTIONS = {
  start: "after the key figures",
  modes: "after “Which mode for what”",
  settings: "after the settings",
  findings: "after “What we found”",
  end: "before “How we measured”",
} as const;

const APPLIES = {
  measured: "measured as well",
  confirmed: "confirmed by another source",
  assumed: "assumed, not measured",
  not: "does not apply",
} as const;

interface Props {
  report: DraftReport;
  edit: Edit;
  change: (make: (old: Edit) => Edit) => void;
}

const without = <T,>(list: readonly T[], at: number) => list.filter((_, i) => i !== at);
const replaced = <T,>(list: readonly T[], at: number, value: T) => list.map((v, i) => (i === at ? value : v));

function Head({ title, about }: { title: string; about: string }) {
  return (
    <>
      <Text as="h2" fontWeight="600" fontSize="15px">
        {title}
      </Text>
      <Text color="ink3" mb="6px">
        {about}
      </Text>
    </>
  );
}

/** Paragraphs of the editor's. */
export function Paragraphs({ edit, change }: Props) {
  const { paragraphs } = edit;
  return (
    <Box as="section" aria-label="Paragraphs" mb="24px">
      <Head title="Paragraphs" about="*Emphasis*, **strong**, - lists and [links](https://…) are understood." />
      {paragraphs.map((p, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: paragraphs have no name but their place
        <Box key={i} mb="8px">
          <Flex gap="8px" mb="4px">
            <Choice
              h="26px"
              w="230px"
              aria-label={`Place of paragraph ${i + 1}`}
              value={p.after ?? "start"}
              choices={SECTIONS}
              onChange={(after) =>
                change((old) => ({ ...old, paragraphs: replaced(old.paragraphs, i, { ...p, after }) }))
              }
            />
            <Box flex="1" />
            <QuietButton
              h="26px"
              aria-label={`Remove paragraph ${i + 1}`}
              onClick={() => change((old) => ({ ...old, paragraphs: without(old.paragraphs, i) }))}
            >
              Remove
            </QuietButton>
          </Flex>
          <Textarea
            w="100%"
            rows={3}
            css={{ fieldSizing: "content" }}
            aria-label={`Paragraph ${i + 1}`}
            value={p.text}
            onChange={(e) =>
              change((old) => ({ ...old, paragraphs: replaced(old.paragraphs, i, { ...p, text: e.target.value }) }))
            }
          />
        </Box>
      ))}
      <QuietButton
        onClick={() => change((old) => ({ ...old, paragraphs: [...old.paragraphs, { text: "", after: "start" }] }))}
      >
        Add a paragraph
      </QuietButton>
    </Box>
  );
}

/** What was not tested, and other models that the results may apply to. */
export function NotTested({ report, edit, change }: Props) {
  const { untested, siblings } = edit;
  return (
    <Box as="section" aria-label="Not tested" mb="24px">
      <Head title="What we didn’t test" about="Lumenar lists what it knows. Add the rest." />
      <Box as="ul" pl="18px" mb="6px" color="ink2" listStyleType="square">
        {report.automatic_untested.map((line) => (
          <li key={line}>{line}</li>
        ))}
      </Box>
      {untested.map((line, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: lines have no name but their place
        <Flex key={i} gap="8px" mb="6px">
          <Field
            h="30px"
            flex="1"
            aria-label={`Not tested ${i + 1}`}
            placeholder="For example: motion and input lag, outside this bench"
            value={line}
            onChange={(e) => change((old) => ({ ...old, untested: replaced(old.untested, i, e.target.value) }))}
          />
          <QuietButton
            aria-label={`Remove line ${i + 1}`}
            onClick={() => change((old) => ({ ...old, untested: without(old.untested, i) }))}
          >
            Remove
          </QuietButton>
        </Flex>
      ))}
      {siblings.map((s, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: as above
        <Grid key={i} templateColumns="1fr 190px auto" gap="6px 8px" mb="8px">
          <Field
            h="30px"
            aria-label={`Model ${i + 1}`}
            placeholder="Model or variant"
            value={s.name}
            onChange={(e) =>
              change((old) => ({ ...old, siblings: replaced(old.siblings, i, { ...s, name: e.target.value }) }))
            }
          />
          <Choice
            h="30px"
            aria-label={`Do the results apply to model ${i + 1}`}
            value={s.applies}
            choices={APPLIES}
            onChange={(applies) =>
              change((old) => ({ ...old, siblings: replaced(old.siblings, i, { ...s, applies }) }))
            }
          />
          <QuietButton
            aria-label={`Remove model ${i + 1}`}
            onClick={() => change((old) => ({ ...old, siblings: without(old.siblings, i) }))}
          >
            Remove
          </QuietButton>
          <Field
            h="30px"
            gridColumn="1 / -1"
            aria-label={`Note to model ${i + 1}`}
            placeholder="Why, in a sentence"
            value={s.note ?? ""}
            onChange={(e) =>
              change((old) => ({ ...old, siblings: replaced(old.siblings, i, { ...s, note: e.target.value }) }))
            }
          />
        </Grid>
      ))}
      <Flex gap="8px">
        <QuietButton onClick={() => change((old) => ({ ...old, untested: [...old.untested, ""] }))}>
          Add what wasn’t tested
        </QuietButton>
        <QuietButton
          onClick={() =>
            change((old) => ({ ...old, siblings: [...old.siblings, { name: "", applies: "assumed", note: "" }] }))
          }
        >
          Add another model
        </QuietButton>
      </Flex>
    </Box>
  );
}

/** Who wrote it, and why there is a new edition. */
export function Imprint({ edit, change }: Props) {
  return (
    <Box as="section" aria-label="Imprint" mb="24px">
      <Head title="Author and edition" about="Printed at the end of the report." />
      <Grid templateColumns="1fr 1fr" gap="10px">
        <Labelled label="Author">
          <Field
            h="30px"
            w="100%"
            maxLength={200}
            value={edit.author}
            onChange={(e) => change((old) => ({ ...old, author: e.target.value }))}
          />
        </Labelled>
        <Labelled label="Bench">
          <Field
            h="30px"
            w="100%"
            maxLength={200}
            value={edit.bench}
            onChange={(e) => change((old) => ({ ...old, bench: e.target.value }))}
          />
        </Labelled>
      </Grid>
      <Box mt="8px">
        <Labelled label="About this edition" width="100%">
          <Textarea
            w="100%"
            rows={2}
            css={{ fieldSizing: "content" }}
            placeholder="For example: firmware 1.04 fixed the HDR clamp"
            value={edit.reason}
            onChange={(e) => change((old) => ({ ...old, reason: e.target.value }))}
          />
        </Labelled>
      </Box>
    </Box>
  );
}
