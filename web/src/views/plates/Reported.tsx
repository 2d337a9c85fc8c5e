import { Flex, Text } from "@chakra-ui/react";
import { useEffect, useState } from "react";
import { useAct } from "../../api/act";
import { api, got, type Plates } from "../../api/client";
import { ProblemNote, QuietButton } from "../../kit/basics";
import { decimal } from "../../kit/decimal";
import { Field } from "../../kit/field";
import { Labelled } from "../../kit/Labelled";

const FIELDS = [
  ["max_cd_m2", "most light, cd/m²"],
  ["full_cd_m2", "of a whole screen"],
  ["min_cd_m2", "least light"],
] as const;
type Typed = Record<(typeof FIELDS)[number][0], string>;

const typed = (r: Plates["reported"]): Typed => ({
  max_cd_m2: r?.max_cd_m2 == null ? "" : String(r.max_cd_m2),
  full_cd_m2: r?.full_cd_m2 == null ? "" : String(r.full_cd_m2),
  min_cd_m2: r?.min_cd_m2 == null ? "" : String(r.min_cd_m2),
});

/** What the host reports that the display reaches: read by the bench where it can, typed else; beside it stands what was measured. */
export function Reported({ review, setup, reported }: { review: number; setup: number; reported: Plates["reported"] }) {
  const was = typed(reported);
  const [v, setV] = useState(was);
  const key = JSON.stringify(was);
  // biome-ignore lint/correctness/useExhaustiveDependencies: what is stored has changed, or another setup is shown
  useEffect(() => setV(was), [key, setup]);
  const save = useAct(
    (body: Typed) =>
      got(
        api.PUT("/api/v1/reviews/{review}/setups/{setup}/reported", {
          params: { path: { review, setup } },
          body: {
            max_cd_m2: decimal(body.max_cd_m2),
            full_cd_m2: decimal(body.full_cd_m2),
            min_cd_m2: decimal(body.min_cd_m2),
          },
        }),
      ),
    ["plates", "recipe"],
  );
  const dirty = JSON.stringify(v) !== key;
  return (
    <Flex
      as="form"
      px="16px"
      pt="10px"
      gap="8px 12px"
      align="flex-end"
      wrap="wrap"
      data-testid="reported"
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate(v);
      }}
    >
      <Text color="ink3" pb="7px">
        What the host reports{reported && (reported.typed ? ", as typed" : ", as read")}
      </Text>
      {FIELDS.map(([name, label]) => (
        <Labelled key={name} label={label} width="120px">
          <Field
            w="100%"
            inputMode="decimal"
            placeholder="not known"
            value={v[name]}
            onChange={(e) => setV((old) => ({ ...old, [name]: e.target.value }))}
          />
        </Labelled>
      ))}
      {dirty && (
        <QuietButton type="submit" loading={save.isPending}>
          Keep
        </QuietButton>
      )}
      {save.error && <ProblemNote error={save.error} />}
    </Flex>
  );
}
