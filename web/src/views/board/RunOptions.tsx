import { Flex } from "@chakra-ui/react";
import type { PlanPreview } from "../../api/client";
import type { RunOptions as Values } from "../../api/queries";
import { Field, Select } from "../../parts/field";

function Choice({
  label,
  value,
  choices,
  onChange,
}: {
  label: string;
  value: string;
  choices: [string, string][];
  onChange: (v: string) => void;
}) {
  return (
    <Flex as="label" gap="6px" align="center" whiteSpace="nowrap">
      {label}
      <Select h="24px" fontSize="12px" value={value} onChange={(e) => onChange(e.target.value)}>
        {choices.map(([v, words]) => (
          <option key={v} value={v}>
            {words}
          </option>
        ))}
      </Select>
    </Flex>
  );
}

/** What the chosen measurements may be asked to do otherwise, and how the bench treats the panel. */
export function RunOptions({
  plan,
  options,
  measurements,
  onOptions,
}: {
  plan: PlanPreview | undefined;
  options: Values;
  measurements: Set<string>;
  onOptions: (o: Values) => void;
}) {
  const set = (o: Values) => onOptions({ ...options, ...o });
  const habit = (key: "settle_s" | "rest_every" | "rest_s" | "reference_every_s", label: string) => (
    <Flex as="label" gap="6px" align="center" whiteSpace="nowrap">
      {label}
      <Field
        type="number"
        min={0}
        h="24px"
        w="72px"
        fontSize="12px"
        placeholder="usual"
        value={options[key] ?? ""}
        onChange={(e) => set({ [key]: e.target.value === "" ? null : Number(e.target.value) })}
      />
    </Flex>
  );
  return (
    <Flex
      gap="8px 18px"
      align="center"
      color="ink2"
      fontSize="12px"
      px="16px"
      py="8px"
      wrap="wrap"
      bg="sheet"
      borderBottom="1px solid"
      borderColor="lineSoft"
      data-testid="options"
    >
      {measurements.has("uniformity") && (
        <Choice
          label="uniformity grid"
          value={(options.grid ?? [5, 5]).join("x")}
          choices={["3x3", "5x5", "7x5"].map((g) => [g, g])}
          onChange={(v) => set({ grid: v.split("x").map(Number) as [number, number] })}
        />
      )}
      {measurements.has("grey_ramp") && (
        <Choice
          label="grey every"
          value={String(options.grey_step ?? 5)}
          choices={[
            ["10", "10 %"],
            ["5", "5 %"],
            ["2", "2 %"],
            ["1", "1 %"],
          ]}
          onChange={(v) => set({ grey_step: Number(v) })}
        />
      )}
      {measurements.has("near_black") && (
        <Choice
          label="near black"
          value={options.fine_black ? "1" : "0"}
          choices={[
            ["0", "in per cent"],
            ["1", "8-bit codes too"],
          ]}
          onChange={(v) => set({ fine_black: v === "1" })}
        />
      )}
      {measurements.has("hold") && (
        <Choice
          label="hold for"
          value={String(options.hold_s ?? 180)}
          choices={[
            ["60", "1 min"],
            ["180", "3 min"],
            ["600", "10 min"],
            ["1800", "30 min"],
          ]}
          onChange={(v) => set({ hold_s: Number(v) })}
        />
      )}
      {measurements.has("additivity") && (
        <Choice
          label="sums at"
          value={String(options.sum_levels ?? 4)}
          choices={[1, 2, 4, 5, 10].map((n) => [String(n), `${n} ${n === 1 ? "level" : "levels"}`])}
          onChange={(v) => set({ sum_levels: Number(v) })}
        />
      )}
      {plan && !plan.warm && (
        <Flex
          as="label"
          gap="6px"
          align="center"
          title="Reads white until it drifts by less than 1 % in ten minutes; without it the run is marked"
        >
          <input
            type="checkbox"
            checked={options.warm_up ?? false}
            onChange={(e) => set({ warm_up: e.target.checked })}
          />
          warm up first
        </Flex>
      )}
      {habit("settle_s", "settle, s")}
      {habit("rest_every", "rest after patches")}
      {habit("rest_s", "rest, s")}
      {habit("reference_every_s", "white again every, s")}
    </Flex>
  );
}
