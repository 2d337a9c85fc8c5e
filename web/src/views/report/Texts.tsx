import { Box, Flex, Text, Textarea } from "@chakra-ui/react";
import { useId } from "react";
import type { Wording } from "../../api/client";
import { QuietButton } from "../../kit/basics";

interface Props {
  wording: Wording;
  label: string;
  /** The editor's text; null uses Lumenar's. */
  text: string | null;
  onText: (text: string | null) => void;
  /** The editor finds the text right for the present figures. */
  onConfirm: () => void;
  onFocus?: () => void;
}

/** A text of the report. Lumenar's text is shown in grey until somebody types another. */
export function ReportText({ wording, label, text, onText, onConfirm, onFocus }: Props) {
  const id = useId();
  return (
    <Box mb="10px">
      <Flex align="baseline" gap="8px">
        <Text asChild color="ink2" fontSize="12px">
          <label htmlFor={id}>{label}</label>
        </Text>
        <Box flex="1" />
        {text !== null && (
          <QuietButton h="22px" onClick={() => onText(null)} aria-label={`${label}: use Lumenar’s text`}>
            Use Lumenar’s text
          </QuietButton>
        )}
      </Flex>
      <Textarea
        id={id}
        rows={1}
        w="100%"
        mt="2px"
        minH="30px"
        py="5px"
        css={{ fieldSizing: "content", "&::placeholder": { color: "var(--chakra-colors-ink2)", opacity: 1 } }}
        value={text ?? ""}
        placeholder={wording.automatic}
        onFocus={onFocus}
        onChange={(e) => onText(e.target.value === "" ? null : e.target.value)}
      />
      <MovedNote wording={wording} text={text} onConfirm={onConfirm} />
    </Box>
  );
}

/** Says which figures changed since a text was written. */
export function MovedNote({ wording, text, onConfirm }: Pick<Props, "wording" | "text" | "onConfirm">) {
  if (text === null || wording.moved.length === 0) return null;
  return (
    <Box borderLeft="2px solid" borderColor="lamp" pl="10px" mt="4px" data-testid="moved">
      <Text fontWeight="500">Figures have changed since you wrote this</Text>
      <Box as="ul" listStyleType="none" color="ink2">
        {wording.moved.map((m) => (
          <li key={m}>{m}</li>
        ))}
      </Box>
      {wording.automatic && <Text color="ink3">Lumenar would now write: {wording.automatic}</Text>}
      <QuietButton h="24px" mt="4px" onClick={onConfirm}>
        Keep my text
      </QuietButton>
    </Box>
  );
}
