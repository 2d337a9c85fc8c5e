import { Box, Text } from "@chakra-ui/react";
import type { ReactNode } from "react";
import type { Board, Experiment } from "../api/client";
import { ViewHead } from "../kit/basics";
import { Choice } from "../kit/field";
import { Past } from "../kit/Past";

interface Props {
  title: string;
  /** What the view is for, said while a new one is begun. */
  about: string;
  rows: Board["rows"];
  /** The setup that a new one would be about. */
  setup: number;
  onSetup: (setup: string) => void;
  /** Those of the review, the newest first. */
  past: readonly { id: number; title: string; state: Experiment["state"] }[];
  /** The one that is shown, null where a new one is begun. */
  shown: number | null;
  fresh: string;
  onChoose: (id: number | null) => void;
  /** Where else one may go. */
  children: ReactNode;
}

/** The head of a view of experiments: the setup of a new one, and those of before. */
export function SessionHead({ title, about, rows, setup, onSetup, past, shown, fresh, onChoose, children }: Props) {
  return (
    <ViewHead title={title}>
      {shown === null && rows.length > 0 && (
        <Choice
          aria-label="Setup"
          w="240px"
          value={String(setup)}
          choices={Object.fromEntries(rows.map((r) => [String(r.setup), r.name]))}
          onChange={onSetup}
        />
      )}
      {shown === null && <Text color="ink3">{about}</Text>}
      <Box flex="1" />
      <Past
        of={past.map((e) => ({ id: e.id, words: `${e.title} (${e.state})` }))}
        shown={shown}
        label="Experiments of this review"
        fresh={fresh}
        w="300px"
        onChoose={onChoose}
      />
      {children}
    </ViewHead>
  );
}
