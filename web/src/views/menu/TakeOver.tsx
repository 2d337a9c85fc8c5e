import { Box, Flex, Grid, Text } from "@chakra-ui/react";
import { useState } from "react";
import { useAct } from "../../api/act";
import { api, got, type MenuMap } from "../../api/client";
import { LampButton, Mono, ProblemNote, QuietButton } from "../../kit/basics";
import { ChooseFile } from "../../kit/ChooseFile";
import { useDraft } from "../../kit/drafts";
import { Field, Select } from "../../kit/field";
import { textOf } from "../../kit/files";
import { Labelled } from "../../kit/Labelled";
import { changesOf, useMenuChange } from "./change";
import { useMenuHistory, useMenus } from "./queries";

function Heading({ children }: { children: string }) {
  return (
    <Text as="h2" fontWeight="600" fontSize="14px" mb="6px">
      {children}
    </Text>
  );
}

function AnotherSample({ review, map, done }: { review: number; map: MenuMap; done: (unit: number | null) => void }) {
  const free = "ABCDEFGHIJKLMNOPQRSTUVWXYZ".split("").find((l) => map.samples.every((s) => s.sample !== l)) ?? "";
  const draft = useDraft(`sample ${review} ${free}`, { sample: free, serial: "", firmware: "" });
  const v = draft.value;
  const add = useAct(
    () =>
      got(
        api.POST("/api/v1/displays", {
          body: { maker: map.maker, model: map.model, kind: map.kind, panel: map.panel, review, ...v },
        }),
      ),
    ["menu", "board", "shelf"],
  );
  return (
    <Box>
      <Heading>Another sample of this model</Heading>
      <Flex gap="10px" wrap="wrap" align="flex-end">
        {(["sample", "serial", "firmware"] as const).map((k) => (
          <Labelled key={k} label={{ sample: "Sample", serial: "Serial number", firmware: "Firmware" }[k]}>
            <Field
              w={k === "sample" ? "64px" : "130px"}
              maxLength={80}
              value={v[k]}
              onChange={(e) => draft.set((old) => ({ ...old, [k]: e.target.value }))}
            />
          </Labelled>
        ))}
        <QuietButton
          loading={add.isPending}
          onClick={() =>
            add.mutate(undefined, {
              onSuccess: () => {
                draft.clear();
                done(null);
              },
            })
          }
        >
          Add the sample
        </QuietButton>
      </Flex>
      {add.error && <ProblemNote error={add.error} />}
    </Box>
  );
}

/** A menu from another display or a file, out as a file, and another sample of the model. */
export function TakeOver({ review, map, done }: { review: number; map: MenuMap; done: (unit: number | null) => void }) {
  const menus = useMenus();
  const others = menus.data?.filter((m) => m.unit !== map.unit) ?? [];
  const [from, setFrom] = useState<number | null>(null);
  const chosen = from ?? others[0]?.unit ?? null;
  const take = useMenuChange(changesOf(review, map).take);
  const bring = useMenuChange(changesOf(review, map).file);
  return (
    <Grid gap="26px" p="16px" maxW="820px">
      <Box>
        <Heading>Take it over from another display</Heading>
        <Text color="ink2" mb="8px">
          From another sample, an earlier review or a sibling model. The current map is kept as a change that can be
          taken back; setups follow, where they fit.
        </Text>
        {others.length === 0 ? (
          <Text color="ink3">No other display has a menu yet.</Text>
        ) : (
          <Flex gap="8px" wrap="wrap">
            <Select aria-label="Menu of" value={chosen ?? ""} onChange={(e) => setFrom(Number(e.target.value))}>
              {others.map((m) => (
                <option key={m.unit} value={m.unit}>
                  {m.name}, sample {m.sample}: {m.modes} modes, {m.controls} controls
                </option>
              ))}
            </Select>
            <LampButton
              loading={take.pending}
              onClick={() => chosen !== null && take.run({ from_unit: chosen }, () => done(map.unit))}
            >
              Take it over
            </LampButton>
          </Flex>
        )}
        {take.question && <Box mt="10px">{take.question}</Box>}
      </Box>
      <Box>
        <Heading>As a file</Heading>
        <Flex gap="8px" wrap="wrap" align="center">
          <ChooseFile
            label="Menu file"
            accept={[".json", ".csv", ".txt"]}
            onFile={async (file) => bring.run({ text: await textOf(file) }, () => done(map.unit))}
            loading={bring.pending}
          >
            Read a file, JSON or CSV…
          </ChooseFile>
          <Text color="ink2">Save it as</Text>
          {(["json", "csv"] as const).map((f) => (
            <QuietButton key={f} asChild>
              <a href={`/api/v1/reviews/${review}/menu/file?unit=${map.unit}&format=${f}`} download>
                {f.toUpperCase()}
              </a>
            </QuietButton>
          ))}
        </Flex>
        {bring.question && <Box mt="10px">{bring.question}</Box>}
      </Box>
      {!map.can.describes && <AnotherSample review={review} map={map} done={done} />}
    </Grid>
  );
}

/** What was changed of the menu, the newest first. */
export function MenuPast({ review, map, undo }: { review: number; map: MenuMap; undo: () => void }) {
  const past = useMenuHistory(review, map.unit);
  if (past.error) return <ProblemNote error={past.error} />;
  if (!past.data) return <Mono color="ink3">Loading</Mono>;
  return (
    <Box p="16px" maxW="900px">
      {past.data.length === 0 && <Text color="ink2">Nothing was changed of this menu yet.</Text>}
      {past.data.map((c, i) => (
        <Flex key={c.number} gap="14px" py="4px" align="baseline" data-testid="past-menu">
          <Mono color="ink3" whiteSpace="nowrap">
            {new Date(c.changed_at).toLocaleString("en-GB", { dateStyle: "short", timeStyle: "short" })}
          </Mono>
          <Text flex="1">
            {c.words.slice(0, 6).join("; ").replaceAll(" > ", " › ") || "written down anew"}
            {c.words.length > 6 && ` and ${c.words.length - 6} more`}
          </Text>
          {i === 0 && <QuietButton onClick={undo}>Take it back</QuietButton>}
        </Flex>
      ))}
    </Box>
  );
}
