import { Box, Flex, Grid, Text } from "@chakra-ui/react";
import { LampButton, QuietButton } from "../../kit/basics";
import { type Edit, editOf, type FieldName } from "./edit";
import type { StoryState } from "./useStory";

const NAMES: Record<FieldName, string> = {
  headline: "Headline",
  standfirst: "Summary",
  author: "Author",
  bench: "Bench",
  purposes: "Sentences for purposes",
  findings: "Findings",
  order: "Order of findings",
  paragraphs: "Paragraphs",
  untested: "What we didn’t test",
  siblings: "Other models",
  claims: "What the maker claims",
  reason: "About this edition",
};

/** What a part of an edit says, to be read beside another. */
function said(edit: Edit, field: FieldName): string {
  const value = edit[field];
  if (value === null || value === "") return "Lumenar’s text";
  if (typeof value === "string") return value;
  if (Array.isArray(value))
    return value
      .map((v) =>
        typeof v === "string"
          ? v
          : Object.values(v)
              .filter((x) => x != null)
              .join(", "),
      )
      .join("\n");
  return Object.values(value).join("\n");
}

/** Somebody else saved the same parts: both versions side by side, and the choice. */
export function ClashNote({ story }: { story: StoryState }) {
  if (!story.clash) return null;
  const theirs = editOf(story.clash.theirs);
  return (
    <Box role="alert" border="1px solid" borderColor="lamp" borderRadius="6px" p="12px" mb="16px" data-testid="clash">
      <Text fontWeight="600">This report was changed meanwhile, perhaps in another tab</Text>
      <Text color="ink2">Nothing is lost. What only one of you changed is put together; here you both wrote:</Text>
      {story.clash.fields.map((field) => (
        <Box key={field} mt="10px">
          <Text fontWeight="500">{NAMES[field]}</Text>
          <Grid templateColumns="1fr 1fr" gap="12px" mt="4px">
            <Box>
              <Text color="ink3">Yours</Text>
              <Text whiteSpace="pre-wrap">{said(story.edit, field)}</Text>
            </Box>
            <Box>
              <Text color="ink3">Theirs</Text>
              <Text whiteSpace="pre-wrap">{said(theirs, field)}</Text>
            </Box>
          </Grid>
          <Flex gap="8px" mt="6px">
            <LampButton h="28px" onClick={() => story.keepMine(field)}>
              Use yours
            </LampButton>
            <QuietButton onClick={() => story.takeTheirs(field)}>Use theirs</QuietButton>
          </Flex>
        </Box>
      ))}
    </Box>
  );
}
