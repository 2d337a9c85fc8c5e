import { chakra, Flex, Input, Text } from "@chakra-ui/react";
import { useAct } from "../../api/act";
import { ApiError, api, got, type MenuMap, type Sent } from "../../api/client";
import { ProblemNote, QuietButton } from "../../kit/basics";
import { KINDS, PANELS } from "../../kit/displays";
import { DraftNote, useDraft } from "../../kit/drafts";
import { Choice } from "../../kit/field";
import { Labelled } from "../../kit/Labelled";

const TOUCHED = ["menu", "board", "shelf", "verdict", "sheet", "units"];
const FIELDS = [
  ["maker", "Maker"],
  ["model", "Model"],
  ["serial", "Serial number"],
] as const;

/** What the display is called; what was written wrongly can be corrected. */
export function Identity({ map }: { map: MenuMap }) {
  const is = {
    maker: map.maker,
    model: map.model,
    kind: map.kind as keyof typeof KINDS,
    panel: map.panel,
    serial: map.samples.find((s) => s.unit === map.unit)?.serial ?? "",
  };
  const draft = useDraft(`identity ${map.unit} ${JSON.stringify(is)}`, is);
  const v = draft.value;
  const save = useAct(
    (body: Sent<"SampleChange">) =>
      got(
        api.PATCH("/api/v1/samples/{sample}", {
          params: { path: { sample: map.unit } },
          headers: { "If-Match": "*" },
          body,
        }),
      ),
    TOUCHED,
  );
  const place = save.error instanceof ApiError ? save.error.problem.place : undefined;
  const changed = JSON.stringify(v) !== JSON.stringify(is);
  return (
    <chakra.form
      p="14px 16px 0"
      data-testid="identity"
      onSubmit={(e) => {
        e.preventDefault();
        if (changed) save.mutate(v, { onSuccess: draft.clear });
      }}
    >
      <Text as="h2" fontWeight="600" mb="6px">
        Display
      </Text>
      <DraftNote draft={draft} />
      <Flex gap="10px 14px" wrap="wrap" align="flex-end">
        {FIELDS.map(([name, label]) => (
          <Labelled
            key={name}
            label={label}
            error={place === name && save.error instanceof ApiError ? save.error.problem.detail : undefined}
          >
            <Input
              size="sm"
              h="30px"
              w="180px"
              bg="sheet"
              borderColor="control"
              maxLength={80}
              autoComplete="off"
              value={v[name]}
              onChange={(e) => draft.set((d) => ({ ...d, [name]: e.target.value }))}
            />
          </Labelled>
        ))}
        <Labelled label="Kind">
          <Choice w="130px" value={v.kind} choices={KINDS} onChange={(kind) => draft.set((d) => ({ ...d, kind }))} />
        </Labelled>
        <Labelled label="Panel">
          <Choice
            w="150px"
            value={v.panel}
            choices={PANELS}
            onChange={(panel) => draft.set((d) => ({ ...d, panel }))}
          />
        </Labelled>
        <QuietButton type="submit" disabled={!changed || save.isPending}>
          Save the display
        </QuietButton>
        {changed && <QuietButton onClick={draft.clear}>Cancel</QuietButton>}
      </Flex>
      {save.error && !place && <ProblemNote error={save.error} />}
      <Text color="ink3" fontSize="11.5px" mt="6px">
        Published editions keep what they say. The next edition mentions the correction.
      </Text>
    </chakra.form>
  );
}
