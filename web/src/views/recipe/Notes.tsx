import { Box, Flex, Grid, Text, Textarea } from "@chakra-ui/react";
import { useAct } from "../../api/act";
import { ApiError, api, got, type Recipe, type Sent } from "../../api/client";
import { LampButton, ProblemNote, QuietButton } from "../../kit/basics";
import { DraftNote, useDraft } from "../../kit/drafts";
import { Choice, Field } from "../../kit/field";
import { Labelled } from "../../kit/Labelled";

const TOUCHED = ["recipe", "verdict"];
const KINDS = {
  say: "a line of text",
  why: "a different reason for a step",
  check: "something to check first",
  choose: "a choice, by taste or content",
  "only-if": "only where the model has it",
  workaround: "a workaround",
} as const;
type New = Sent<"NewNote">;
const EMPTY: New = { kind: "say", path: "", value: "", words: "", until: "" };

/** What a person writes to a recipe. It stays whatever is measured or tuned anew. */
export function Notes({ recipe, done }: { recipe: Recipe; done: () => void }) {
  const path = { review: recipe.review, setup: recipe.setup };
  const draft = useDraft<{ note: New; changes: number | null }>(`note ${recipe.setup}`, { note: EMPTY, changes: null });
  const { note: v, changes } = draft.value;
  const setV = (note: New) => draft.set((d) => ({ ...d, note }));
  const clear = draft.clear;
  const save = useAct(
    async (body: New): Promise<unknown> =>
      changes === null
        ? got(api.POST("/api/v1/reviews/{review}/setups/{setup}/notes", { params: { path }, body }))
        : got(
            api.PUT("/api/v1/reviews/{review}/setups/{setup}/notes/{note}", {
              params: { path: { ...path, note: changes } },
              body,
            }),
          ),
    TOUCHED,
  );
  const remove = useAct(
    (note: number) =>
      got(api.DELETE("/api/v1/reviews/{review}/setups/{setup}/notes/{note}", { params: { path: { ...path, note } } })),
    TOUCHED,
  );
  const place = save.error instanceof ApiError ? (save.error.problem.place ?? "") : "";
  const steps = recipe.steps.filter((s) => s.kind === "set" || s.kind === "check" || s.kind === "leave");
  const paths = Object.fromEntries(steps.map((s) => [s.path, s.path.replaceAll(" > ", " › ")]));
  const step = v.kind === "why" ? (v.path && paths[v.path] ? v.path : (steps[0]?.path ?? "")) : (v.path ?? "");
  const entry = v.kind !== "say" && v.kind !== "why";
  const words = (error: string) =>
    place === error && save.error instanceof ApiError ? save.error.problem.detail : undefined;
  return (
    <Box
      className="no-print"
      bg="sheet"
      border="1px solid"
      borderColor="lineSoft"
      borderRadius="6px"
      p="14px 16px"
      mb="16px"
      data-testid="notes"
    >
      <DraftNote draft={draft} />
      {recipe.notes.map((n) => (
        <Flex key={n.id} gap="10px" align="baseline" py="3px" data-testid="note">
          <Text color="ink3" fontSize="12px" w="150px" flex="none">
            {KINDS[n.kind]}
          </Text>
          <Text flex="1">
            {n.path && `${n.path.replaceAll(" > ", " › ")}${n.value && ` ${n.value}`}: `}
            {n.words}
          </Text>
          <QuietButton
            h="22px"
            onClick={() => {
              const { kind, path, value, words, until } = n;
              draft.set({ note: { kind, path, value, words, until }, changes: n.id });
            }}
          >
            Change
          </QuietButton>
          <QuietButton h="22px" onClick={() => remove.mutate(n.id)} aria-label={`Delete: ${n.words.slice(0, 40)}`}>
            Delete
          </QuietButton>
        </Flex>
      ))}
      <Grid templateColumns={{ base: "1fr", md: "210px minmax(0, 1fr) 120px" }} gap="10px 14px" mt="8px">
        <Labelled label="Write" error={words("kind")}>
          <Choice w="100%" h="30px" value={v.kind} choices={KINDS} onChange={(kind) => setV({ ...v, kind })} />
        </Labelled>
        {v.kind === "why" && (
          <Labelled label="Step" error={words("path")}>
            <Choice w="100%" h="30px" value={step} choices={paths} onChange={(p) => setV({ ...v, path: p })} />
          </Labelled>
        )}
        {entry && (
          <>
            <Labelled label="Where, as in the menu" error={words("path")}>
              <Field w="100%" h="30px" value={v.path} onChange={(e) => setV({ ...v, path: e.target.value })} />
            </Labelled>
            <Labelled label="What" error={words("value")}>
              <Field w="100%" h="30px" value={v.value} onChange={(e) => setV({ ...v, value: e.target.value })} />
            </Labelled>
          </>
        )}
        {v.kind === "workaround" && (
          <Labelled label="With firmware" error={words("until")}>
            <Field w="100%" h="30px" value={v.until} onChange={(e) => setV({ ...v, until: e.target.value })} />
          </Labelled>
        )}
      </Grid>
      <Box mt="10px">
        <Labelled label={v.kind === "say" ? "Text" : "Why"} error={words("words")} width="100%">
          <Textarea
            rows={2}
            value={v.words}
            maxLength={600}
            onChange={(e) => setV({ ...v, words: e.target.value })}
            w="100%"
          />
        </Labelled>
      </Box>
      {save.error && !["kind", "path", "value", "until", "words"].includes(place) && <ProblemNote error={save.error} />}
      {remove.error && <ProblemNote error={remove.error} />}
      <Flex gap="8px" mt="10px">
        <LampButton
          loading={save.isPending}
          onClick={() => save.mutate({ ...v, path: v.kind === "say" ? "" : step }, { onSuccess: clear })}
          data-testid="keep-note"
        >
          {changes === null ? "Add it" : "Save it"}
        </LampButton>
        {changes !== null && <QuietButton onClick={clear}>Cancel</QuietButton>}
        <QuietButton onClick={done}>Close</QuietButton>
      </Flex>
    </Box>
  );
}
