import { Box, Flex, Grid, Text } from "@chakra-ui/react";
import type { ReactNode } from "react";
import { ApiError } from "../api/client";
import { LampButton, ProblemNote, QuietButton } from "./basics";

interface Props {
  title?: string;
  /** The fields' columns. */
  columns: string;
  /** What saving ran into. */
  error: Error | null;
  /** The places whose problem stands under its field; any other stands below the fields. */
  places: readonly string[];
  save: string;
  saving: boolean;
  onSave: () => void;
  onLeave: () => void;
  testid: string;
  children: ReactNode;
}

/** A form in the page: its fields, what is wrong with them, and how to keep or to leave what was typed. */
export function FormPanel({ title, columns, error, places, save, saving, onSave, onLeave, testid, children }: Props) {
  const place = error instanceof ApiError ? (error.problem.place ?? "") : "";
  return (
    <Box
      as="form"
      bg="sheet"
      border="1px solid"
      borderColor="lineSoft"
      borderRadius="6px"
      p="14px 16px"
      my="12px"
      data-testid={testid}
      onSubmit={(e) => {
        e.preventDefault();
        onSave();
      }}
    >
      {title && (
        <Text as="h2" fontWeight="600" fontSize="15px" mb="10px">
          {title}
        </Text>
      )}
      <Grid templateColumns={columns} gap="12px 16px" alignItems="start">
        {children}
      </Grid>
      {error && !places.includes(place) && (
        <Box mt="10px">
          <ProblemNote error={error} />
        </Box>
      )}
      <Flex gap="8px" mt="14px">
        <LampButton type="submit" loading={saving}>
          {save}
        </LampButton>
        <QuietButton onClick={onLeave}>Leave it</QuietButton>
      </Flex>
    </Box>
  );
}

/** What is wrong with one field, by its place in what was sent. */
export const problemAt = (error: Error | null) => (place: string) =>
  error instanceof ApiError && error.problem.place === place ? error.problem.detail : undefined;
