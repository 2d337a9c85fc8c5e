import { Box, Flex, Table, Text } from "@chakra-ui/react";
import { useState } from "react";
import { useNavigate } from "react-router";
import { useAct } from "../../api/act";
import { api, got, type TargetView } from "../../api/client";
import { useKeys } from "../../app/keys";
import { Failed, Key, LampButton, Mono, ProblemNote, Quiet, QuietButton, Wide } from "../../kit/basics";
import { signed } from "../../pictures/common";
import { TARGETS_KEYS } from "./keys";
import { useTargets } from "./queries";
import { TargetForm } from "./TargetForm";

const CURVES = { power: "power", srgb: "sRGB", bt1886: "BT.1886" };
const HEADS = [
  "Target",
  "Red",
  "Green",
  "Blue",
  "White",
  "Colour temp., K",
  "Duv",
  "Curve",
  "Black",
  "cd/m²",
  "Declared by",
  "",
];
const xy = (p: readonly number[]) => p.map((v) => v.toFixed(4)).join("  ");

function Line({ target, edit }: { target: TargetView; edit: (id: number | null) => void }) {
  const remove = useAct(
    () => got(api.DELETE("/api/v1/targets/{target}", { params: { path: { target: target.id ?? 0 } } })),
    ["targets", "plates"],
  );
  const d = target.definition;
  return (
    <Table.Row data-testid="target-row">
      <Table.Cell fontWeight={target.id == null ? 400 : 600} whiteSpace="nowrap">
        {target.title}
      </Table.Cell>
      {d
        ? [d.red, d.green, d.blue, d.white].map((p, i) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: columns never move
            <Table.Cell key={i} whiteSpace="nowrap">
              <Mono color="ink2">{xy(p)}</Mono>
            </Table.Cell>
          ))
        : ["", "", "", ""].map((_, i) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: columns never move
            <Table.Cell key={i} />
          ))}
      <Table.Cell textAlign="end">
        <Mono>{Math.round(target.cct_k / 10) * 10}</Mono>
      </Table.Cell>
      <Table.Cell textAlign="end">
        <Mono>{signed(target.duv, 4)}</Mono>
      </Table.Cell>
      <Table.Cell whiteSpace="nowrap">
        {d ? CURVES[d.curve] : target.signal === "pq" ? "PQ" : "HLG"}
        {d?.curve === "power" && <Mono> {Number((d.gamma ?? 2.2).toFixed(3))}</Mono>}
      </Table.Cell>
      <Table.Cell color="ink2">{d ? (d.black === "zero" ? "none" : "measured") : ""}</Table.Cell>
      <Table.Cell textAlign="end">
        <Mono>{d?.luminance ?? (d ? "any" : "")}</Mono>
      </Table.Cell>
      <Table.Cell color="ink2">
        {target.setups ? `${target.setups} ${target.setups === 1 ? "setup" : "setups"}` : ""}
      </Table.Cell>
      <Table.Cell>
        <Flex gap="6px" justify="flex-end">
          {d && (
            <QuietButton h="24px" onClick={() => edit(null)}>
              Copy
            </QuietButton>
          )}
          {target.id != null && (
            <>
              <QuietButton h="24px" onClick={() => edit(target.id ?? null)}>
                Change
              </QuietButton>
              <QuietButton h="24px" onClick={() => remove.mutate()} aria-label={`Delete ${target.title}`}>
                Delete
              </QuietButton>
            </>
          )}
        </Flex>
        {remove.error && <ProblemNote error={remove.error} />}
      </Table.Cell>
    </Table.Row>
  );
}

/** Targets to judge by: those that ship, and those defined here. */
export default function TargetsView() {
  const targets = useTargets();
  const go = useNavigate();
  const [form, setForm] = useState<{ like: TargetView; id: number | null } | null>(null);
  const first = targets.data?.find((t) => t.definition);
  useKeys(TARGETS_KEYS, {
    add: () => first && setForm({ like: first, id: null }),
    back: () => (form ? setForm(null) : go(-1)),
  });
  if (targets.error) return <Failed error={targets.error} />;
  if (!targets.data || !first) return <Quiet>Loading</Quiet>;
  return (
    <Box maxW="1280px" mx="auto" px="16px" py="12px">
      <Flex align="center" mb="10px" gap="14px" wrap="wrap">
        <Text as="h1" fontSize="18px" fontWeight="600">
          Targets
        </Text>
        <Text color="ink2">
          what readings are compared with; a setup declares one, and any other can be tried on it
        </Text>
        <Box flex="1" />
        {!form && (
          <LampButton onClick={() => setForm({ like: first, id: null })}>
            Define a target <Key on>a</Key>
          </LampButton>
        )}
      </Flex>
      {form && (
        <TargetForm key={`${form.like.key} ${form.id}`} like={form.like} id={form.id} done={() => setForm(null)} />
      )}
      <Wide label="Targets">
        <Table.Root>
          <Table.Header>
            <Table.Row>
              {HEADS.map((h, i) => (
                <Table.ColumnHeader
                  key={h || "acts"}
                  scope="col"
                  textAlign={[5, 6, 9].includes(i) ? "end" : "start"}
                  whiteSpace="nowrap"
                >
                  {h}
                </Table.ColumnHeader>
              ))}
            </Table.Row>
          </Table.Header>
          <Table.Body>
            {targets.data.map((t) => (
              <Line key={t.key} target={t} edit={(id) => setForm({ like: t, id })} />
            ))}
          </Table.Body>
        </Table.Root>
      </Wide>
    </Box>
  );
}
