import { Box, Flex, Table, Text } from "@chakra-ui/react";
import { useState } from "react";
import { useAct } from "../../api/act";
import { api, from, got, type NamedMeter, type Sent, type InstrumentsView as View } from "../../api/client";
import { Key, Mono, ProblemNote, QuietButton, Wide } from "../../kit/basics";
import { decimal } from "../../kit/decimal";
import { PANELS } from "../../kit/displays";
import { FormPanel, problemAt } from "../../kit/FormPanel";
import { Choice, Field } from "../../kit/field";
import { Labelled } from "../../kit/Labelled";
import { MatrixForm } from "./MatrixForm";

const KINDS = {
  colorimeter: "colorimeter",
  spectroradiometer: "spectroradiometer",
  "luminance meter": "luminance meter",
};
const ROLES = { meter: "working meter", reference: "reference" };
const PLACES = ["name", "serial", "calibrated_on", "repeatability_percent", "floor_cd_m2"];
const HEADS = [
  "Meter",
  "Serial",
  "Kind",
  "Used as",
  "Calibrated",
  "Repeats to, %",
  "Floor, cd/m²",
  "Corrected for",
  "",
];

function words(m: NamedMeter | null) {
  const i = m?.identity;
  return {
    name: i?.name ?? "",
    serial: i?.serial ?? "",
    kind: i?.kind ?? "colorimeter",
    role: i?.role ?? "meter",
    calibrated_on: i?.calibrated_on ?? "",
    repeatability: i?.repeatability_percent == null ? "" : String(Number(i.repeatability_percent.toPrecision(4))),
    floor: i?.floor_cd_m2 == null ? "" : String(i.floor_cd_m2),
    note: i?.note ?? "",
  };
}

function MeterForm({ meter, done }: { meter: NamedMeter | null; done: () => void }) {
  const [v, setV] = useState(() => words(meter));
  const save = useAct(
    async (body: Sent<"NewMeter">) => {
      if (meter === null) await got(api.POST("/api/v1/meters", { body }));
      else
        await got(
          api.PUT("/api/v1/meters/{meter}", { params: { path: { meter: meter.id } }, body, ...from(meter.version) }),
        );
    },
    ["instruments"],
  );
  const error = problemAt(save.error);
  const set = (w: Partial<typeof v>) => setV((old) => ({ ...old, ...w }));
  const submit = () =>
    save.mutate(
      {
        name: v.name,
        serial: v.serial,
        kind: v.kind,
        role: v.role,
        note: v.note,
        calibrated_on: v.calibrated_on || null,
        repeatability_percent: decimal(v.repeatability),
        floor_cd_m2: decimal(v.floor),
      },
      { onSuccess: done },
    );
  return (
    <FormPanel
      columns="repeat(auto-fill, minmax(160px, 1fr))"
      error={save.error}
      places={PLACES}
      save="Save the meter"
      saving={save.isPending}
      onSave={submit}
      onLeave={done}
      testid="meter-form"
    >
      <Labelled label="Name" error={error("name")} width="100%">
        <Field
          w="100%"
          fontFamily="body"
          autoFocus
          maxLength={80}
          value={v.name}
          onChange={(e) => set({ name: e.target.value })}
        />
      </Labelled>
      <Labelled label="Serial number" error={error("serial")} width="100%">
        <Field w="100%" maxLength={80} value={v.serial} onChange={(e) => set({ serial: e.target.value })} />
      </Labelled>
      <Labelled label="Kind">
        <Choice value={v.kind} choices={KINDS} onChange={(kind) => set({ kind })} />
      </Labelled>
      <Labelled label="Used as">
        <Choice value={v.role} choices={ROLES} onChange={(role) => set({ role })} />
      </Labelled>
      <Labelled label="Calibrated on" error={error("calibrated_on")} width="100%">
        <Field w="100%" type="date" value={v.calibrated_on} onChange={(e) => set({ calibrated_on: e.target.value })} />
      </Labelled>
      <Labelled label="Repeats to, %" hint="empty: 0.2 is assumed" error={error("repeatability_percent")} width="100%">
        <Field
          w="90px"
          inputMode="decimal"
          value={v.repeatability}
          onChange={(e) => set({ repeatability: e.target.value })}
        />
      </Labelled>
      <Labelled
        label="Reads down to, cd/m²"
        hint="empty: estimated from readings"
        error={error("floor_cd_m2")}
        width="100%"
      >
        <Field w="90px" inputMode="decimal" value={v.floor} onChange={(e) => set({ floor: e.target.value })} />
      </Labelled>
      <Labelled label="Note" width="100%">
        <Field
          w="100%"
          fontFamily="body"
          maxLength={200}
          value={v.note}
          onChange={(e) => set({ note: e.target.value })}
        />
      </Labelled>
    </FormPanel>
  );
}

const ago = (days: number | null | undefined) =>
  days == null
    ? "not recorded"
    : days === 0
      ? "today"
      : days < 60
        ? `${days} days ago`
        : `${Math.round(days / 30.4)} months ago`;

/** Meters that a person holds: which one exactly, how well it reads, and what it is corrected for. */
export function OwnMeters({ view, add, onAdd }: { view: View; add: boolean; onAdd: (on: boolean) => void }) {
  const [edit, setEdit] = useState<NamedMeter | null>(null);
  const [correct, setCorrect] = useState<NamedMeter | null>(null);
  const remove = useAct(
    (id: number) => got(api.DELETE("/api/v1/meters/{meter}", { params: { path: { meter: id } } })),
    ["instruments"],
  );
  return (
    <Box as="section" aria-label="Meters of your own">
      <Flex align="center" gap="12px" mb="4px">
        <Text as="h2" fontWeight="600" fontSize="15px">
          Meters of your own
        </Text>
        <Box flex="1" />
        {!add && (
          <QuietButton onClick={() => onAdd(true)}>
            Name a meter <Key>a</Key>
          </QuietButton>
        )}
      </Flex>
      {view.named.length === 0 && !add && (
        <Text color="ink2">
          No meters yet. You can use any meter that shows numbers for a manual run. If you add it with its serial
          number, its calibration date and its corrections, every figure says what it was read with.
        </Text>
      )}
      {view.named.length > 0 && (
        <Wide label="Meters of your own">
          <Table.Root w="100%" data-testid="own-meters">
            <Table.Header>
              <Table.Row>
                {HEADS.map((h, i) => (
                  <Table.ColumnHeader key={h || "acts"} scope="col" textAlign={i === 5 || i === 6 ? "end" : "start"}>
                    {h}
                  </Table.ColumnHeader>
                ))}
              </Table.Row>
            </Table.Header>
            <Table.Body>
              {view.named.map((m) => (
                <Table.Row key={m.id} title={m.identity.note || undefined}>
                  <Table.Cell fontWeight="500">{m.identity.name}</Table.Cell>
                  <Table.Cell>
                    <Mono color="ink2">{m.identity.serial}</Mono>
                  </Table.Cell>
                  <Table.Cell color="ink2">{m.identity.kind}</Table.Cell>
                  <Table.Cell color="ink2">
                    {ROLES[m.identity.role]}, {m.driver}
                  </Table.Cell>
                  <Table.Cell
                    color={(m.calibrated_days_ago ?? 0) > 365 ? "lamp" : "ink2"}
                    title={m.identity.calibrated_on ?? undefined}
                  >
                    {ago(m.calibrated_days_ago)}
                  </Table.Cell>
                  <Table.Cell textAlign="end">
                    <Mono>{m.identity.repeatability_percent?.toFixed(2) ?? "–"}</Mono>
                  </Table.Cell>
                  <Table.Cell textAlign="end">
                    <Mono>{m.identity.floor_cd_m2 ?? "–"}</Mono>
                  </Table.Cell>
                  <Table.Cell color="ink2">
                    {m.corrected_for.map((p) => PANELS[p]).join(", ") || "nothing yet"}
                  </Table.Cell>
                  <Table.Cell pr="0">
                    <Flex gap="6px" justify="flex-end">
                      <QuietButton h="24px" onClick={() => setCorrect(m)}>
                        Correction…
                      </QuietButton>
                      <QuietButton h="24px" onClick={() => setEdit(m)}>
                        Change
                      </QuietButton>
                      <QuietButton
                        h="24px"
                        aria-label={`Delete ${m.identity.name}`}
                        onClick={() => remove.mutate(m.id)}
                      >
                        Delete
                      </QuietButton>
                    </Flex>
                  </Table.Cell>
                </Table.Row>
              ))}
            </Table.Body>
          </Table.Root>
        </Wide>
      )}
      {remove.error && <ProblemNote error={remove.error} />}
      {add && <MeterForm meter={null} done={() => onAdd(false)} />}
      {edit && <MeterForm key={edit.id} meter={edit} done={() => setEdit(null)} />}
      {correct && <MatrixForm key={`m${correct.id}`} meter={correct} done={() => setCorrect(null)} />}
    </Box>
  );
}
