import { Box, FileUpload, Flex, Grid, Table, Text } from "@chakra-ui/react";
import { useEffect, useState } from "react";
import { useNavigate, useSearchParams } from "react-router";
import { useAct } from "../../api/act";
import { ApiError, api, got, type Sent, type Understood } from "../../api/client";
import { BACK } from "../../app/keymap";
import { useKeys } from "../../app/keys";
import { LampButton, ProblemNote, QuietButton, Wide } from "../../kit/basics";
import { KINDS, PANELS } from "../../kit/displays";
import { Choice, Field, Select } from "../../kit/field";
import { textOf } from "../../kit/files";
import { Labelled } from "../../kit/Labelled";

const WHAT: Record<string, string> = {
  "": "not used",
  setup: "setup",
  unit: "display",
  mode: "picture mode",
  signal: "signal format",
  target: "target",
  measurement: "measurement",
  r: "red signal",
  g: "green signal",
  b: "blue signal",
  level_percent: "grey signal, %",
  window: "window, share of the screen",
  background: "background",
  level: "luminance control",
  column: "zone: column",
  row: "zone: row",
  columns: "zone: columns",
  rows: "zone: rows",
  pattern: "pattern",
  at_s: "seconds since it came up",
  time_s: "time, s",
  meter: "meter",
  X: "X",
  Y: "Y, cd/m²",
  Z: "Z",
  x: "x",
  y: "y",
  u: "u'",
  v: "v'",
};
const RANGES = ["0..1", "0..100", "0..255", "0..1023"];
const UNSAID = { "": "as the file says", ...PANELS };

/** What a person says of the display where the file does not. */
interface Who {
  maker: string;
  model: string;
  kind: keyof typeof KINDS;
  panel: keyof typeof UNSAID;
}

interface Chosen {
  name: string;
  text: string;
}

/** The heads in a table's first line, so that each can be told what it is even before the whole is understood. */
function headsOf({ text }: Chosen): string[] {
  const start = text.replace(/^\uFEFF/, "").trimStart();
  if (start.startsWith("{") || start.includes("BEGIN_DATA")) return [];
  const line = start.split(/\r?\n/)[0] ?? "";
  const parts = [";", "\t", ","].map((d) => line.split(d)).sort((a, b) => b.length - a.length)[0] ?? [];
  return parts.length > 1 ? parts.map((h) => h.trim().replace(/^"|"$/g, "")) : [];
}

function Columns({
  heads,
  mapping,
  taken,
  onMapping,
}: {
  heads: string[];
  mapping: Record<string, string>;
  taken: Record<string, string>;
  onMapping: (m: Record<string, string>) => void;
}) {
  return (
    <Box as="section" aria-label="Columns">
      <Text as="h2" fontWeight="600" mb="6px">
        Columns
      </Text>
      <Flex gap="8px 18px" wrap="wrap">
        {heads.map((h) => (
          <Flex as="label" key={h} gap="6px" align="center" color="ink2">
            {h}
            <Select
              value={mapping[h] ?? taken[h] ?? ""}
              onChange={(e) => onMapping({ ...mapping, [h]: e.target.value })}
              data-testid={`column-${h}`}
            >
              {Object.entries(WHAT).map(([k, words]) => (
                <option key={k} value={k}>
                  {words}
                </option>
              ))}
            </Select>
          </Flex>
        ))}
        <Flex as="label" gap="6px" align="center" color="ink2">
          Signals run
          <Select
            value={mapping.rgb ?? ""}
            onChange={(e) => {
              const { rgb: _, ...rest } = mapping;
              onMapping(e.target.value ? { ...rest, rgb: e.target.value } : rest);
            }}
          >
            <option value="">as they say themselves</option>
            {RANGES.map((r) => (
              <option key={r}>{r}</option>
            ))}
          </Select>
        </Flex>
      </Flex>
    </Box>
  );
}

function Setups({ told }: { told: Understood }) {
  return (
    <Wide label="Setups in the file">
      <Table.Root
        size="sm"
        css={{ "& td, & th": { borderColor: "lineSoft", bg: "transparent", color: "ink", verticalAlign: "top" } }}
      >
        <Table.Header>
          <Table.Row bg="transparent">
            {["Setup", "Mode", "Target", "Readings", "Measurements they are enough for"].map((h) => (
              <Table.ColumnHeader key={h} color="ink3" fontSize="11px" fontWeight="450" scope="col">
                {h}
              </Table.ColumnHeader>
            ))}
          </Table.Row>
        </Table.Header>
        <Table.Body>
          {told.setups.map((s) => (
            <Table.Row key={`${s.unit} ${s.name}`} bg="transparent" data-testid="understood-setup">
              <Table.Cell fontWeight="500">{s.name}</Table.Cell>
              <Table.Cell>{s.mode}</Table.Cell>
              <Table.Cell>
                {s.signal.toUpperCase()} · {s.target_title}
              </Table.Cell>
              <Table.Cell textAlign="right">{s.readings}</Table.Cell>
              <Table.Cell title={s.left_out.join("\n")}>
                {s.measurements.join(", ")}
                {s.left_out.length > 0 && <Text color="ink3">not for {s.left_out.length} others</Text>}
              </Table.Cell>
            </Table.Row>
          ))}
        </Table.Body>
      </Table.Root>
    </Wide>
  );
}

/** A readings file: what was understood of it, what it does not say, and then into the store. */
export default function ImportView() {
  const go = useNavigate();
  const [query] = useSearchParams();
  const review = query.get("review") ? Number(query.get("review")) : null;
  const [chosen, setChosen] = useState<Chosen | null>(null);
  const [mapping, setMapping] = useState<Record<string, string>>({});
  const [who, setWho] = useState<Who>({ maker: "", model: "", kind: "monitor", panel: "" });
  const look = useAct((body: Sent<"ImportedText">) => got(api.POST("/api/v1/imports/preview", { body })));
  const add = useAct(
    (body: Sent<"NewImport">) => got(api.POST("/api/v1/imports", { body })),
    ["shelf", "board", "compare"],
  );
  const back = () => go(review === null ? "/" : `/review/${review}`);
  useKeys(BACK, { back });
  const ask = look.mutate;
  useEffect(() => {
    if (chosen) ask({ ...chosen, mapping });
  }, [chosen, mapping, ask]);
  const heads = chosen ? headsOf(chosen) : [];
  const told = look.data;
  const needed = (told?.missing.length ?? 0) > 0;
  const wrong = look.error ?? add.error;
  const place = add.error instanceof ApiError ? add.error.problem.place : null;
  return (
    <Box p="16px" maxW="1100px">
      <Text as="h1" fontSize="18px" fontWeight="600">
        Import readings
      </Text>
      <Text color="ink2" mb="12px">
        A readings file in JSON, a table in CSV, or CGATS text. You see a preview first; nothing is stored before.
      </Text>
      <FileUpload.Root
        maxFiles={1}
        accept={[".json", ".csv", ".txt", ".tsv", ".cgats"]}
        onFileAccept={async ({ files }) => {
          const file = files[0];
          if (!file) return;
          setMapping({});
          add.reset();
          setChosen({ name: file.name, text: await textOf(file) });
        }}
      >
        <FileUpload.HiddenInput aria-label="Readings file" data-testid="import-file" />
        <FileUpload.Dropzone bg="sheet" borderColor="control" minH="84px" w="100%" py="14px">
          <FileUpload.DropzoneContent color="ink2">
            {chosen ? chosen.name : "Drop a file here, or press Enter to choose one"}
          </FileUpload.DropzoneContent>
        </FileUpload.Dropzone>
      </FileUpload.Root>
      <Grid gap="18px" mt="16px">
        {heads.length > 0 && (
          <Columns
            heads={heads}
            mapping={mapping}
            taken={look.error ? {} : (told?.columns ?? {})}
            onMapping={setMapping}
          />
        )}
        {wrong && <ProblemNote error={wrong} />}
        {told && !look.error && (
          <Box as="section" aria-label="What was understood" data-testid="understood">
            <Text as="h2" fontWeight="600" mb="4px">
              Understood as {told.format}: {told.setups.length} {told.setups.length === 1 ? "setup" : "setups"}
            </Text>
            {told.notes.map((n) => (
              <Text key={n} color="ink2">
                {n}
              </Text>
            ))}
            <Box mt="8px">
              <Setups told={told} />
            </Box>
            <Flex gap="10px 14px" wrap="wrap" align="end" mt="16px">
              {needed && (
                <>
                  <Labelled label="Maker">
                    <Field
                      fontFamily="body"
                      value={who.maker}
                      aria-invalid={place === "maker"}
                      onChange={(e) => setWho({ ...who, maker: e.target.value })}
                    />
                  </Labelled>
                  <Labelled label="Model">
                    <Field
                      fontFamily="body"
                      value={who.model}
                      aria-invalid={place === "model"}
                      onChange={(e) => setWho({ ...who, model: e.target.value })}
                    />
                  </Labelled>
                  <Labelled label="Panel">
                    <Choice value={who.panel} choices={UNSAID} onChange={(panel) => setWho({ ...who, panel })} />
                  </Labelled>
                </>
              )}
              {review === null && (
                <Labelled label="Kind">
                  <Choice value={who.kind} choices={KINDS} onChange={(kind) => setWho({ ...who, kind })} />
                </Labelled>
              )}
              <LampButton
                loading={add.isPending}
                disabled={needed && !(who.maker.trim() && who.model.trim())}
                onClick={() =>
                  chosen &&
                  add.mutate({ ...chosen, mapping, review, ...who }, { onSuccess: ({ id }) => go(`/review/${id}`) })
                }
              >
                {review === null ? "Store as a new review" : "Store in this review"}
              </LampButton>
              <QuietButton onClick={back}>Leave it</QuietButton>
            </Flex>
          </Box>
        )}
      </Grid>
    </Box>
  );
}
