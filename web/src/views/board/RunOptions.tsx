import { Flex, Text } from "@chakra-ui/react";
import { useEffect } from "react";
import type { PlanPreview, RunOption } from "../../api/client";
import { Field, Select } from "../../kit/field";
import { NumberField } from "../../kit/NumberField";
import { Tick } from "../../kit/toggles";
import { useInstruments } from "../instruments/queries";
import type { RunOptions as Values } from "./queries";

/** One option as its measurement declares it: a list, a number within a range, or a switch. */
function Option({ option, value, onChange }: { option: RunOption; value: unknown; onChange: (v: unknown) => void }) {
  const now = value ?? option.usual;
  if (typeof option.usual === "boolean") {
    return (
      <Tick checked={Boolean(now)} onChange={onChange}>
        {[option.title, option.unit].filter(Boolean).join(", ")}
      </Tick>
    );
  }
  return (
    <Flex as="label" gap="6px" align="center" whiteSpace="nowrap">
      {option.title}
      {option.choices.length > 0 && (
        <Select
          h="24px"
          fontSize="12px"
          value={JSON.stringify(now)}
          onChange={(e) => onChange(JSON.parse(e.target.value))}
        >
          {option.choices.map((c) => (
            <option key={c.words} value={JSON.stringify(c.value)}>
              {c.words}
            </option>
          ))}
        </Select>
      )}
      {option.low != null && (
        <NumberField
          name={option.title}
          min={option.low}
          max={option.high ?? undefined}
          h="24px"
          w="72px"
          fontSize="12px"
          value={Number(now)}
          onChange={(v) => onChange(v ?? option.usual)}
        />
      )}
      {option.unit}
    </Flex>
  );
}

/** The meter of a run by hand, as far as the person knows it; what is not said is assumed, and the figures say so. */
export interface Meter {
  /** The number of a meter that has a name; what else is said of it then stands with it. */
  named: number | null;
  name: string;
  serial: string;
  repeatability_percent: number;
  floor_cd_m2: number | null;
}

function HandMeter({ meter, onMeter }: { meter: Meter; onMeter: (m: Meter) => void }) {
  const instruments = useInstruments();
  const named = instruments.data?.named.filter((m) => m.identity.role === "meter") ?? [];
  const gone = instruments.data !== undefined && meter.named !== null && named.every((m) => m.id !== meter.named);
  // One that was deleted since, or belongs to another data folder.
  useEffect(() => {
    if (gone) onMeter({ ...meter, named: null });
  }, [gone, meter, onMeter]);
  const words = (key: "name" | "serial", label: string, width: string) => (
    <Flex as="label" gap="6px" align="center" whiteSpace="nowrap">
      {label}
      <Field
        h="24px"
        w={width}
        fontSize="12px"
        fontFamily="body"
        maxLength={80}
        value={meter[key]}
        onChange={(e) => onMeter({ ...meter, [key]: e.target.value })}
      />
    </Flex>
  );
  const choice = named.length > 0 && (
    <Flex as="label" gap="6px" align="center" whiteSpace="nowrap">
      meter
      <Select
        h="24px"
        fontSize="12px"
        value={meter.named ?? ""}
        onChange={(e) => onMeter({ ...meter, named: e.target.value === "" ? null : Number(e.target.value) })}
      >
        {named.map((m) => (
          <option key={m.id} value={m.id}>
            {m.identity.name} {m.identity.serial}
          </option>
        ))}
        <option value="">another</option>
      </Select>
    </Flex>
  );
  if (meter.named !== null) return choice;
  return (
    <>
      {choice}
      {words("name", choice ? "its name" : "meter", "130px")}
      {words("serial", "serial", "90px")}
      <Flex as="label" gap="6px" align="center" whiteSpace="nowrap">
        repeats within, %
        <NumberField
          name="repeats within, %"
          min={0}
          max={50}
          step={0.1}
          h="24px"
          w="64px"
          fontSize="12px"
          value={meter.repeatability_percent}
          onChange={(v) => onMeter({ ...meter, repeatability_percent: v ?? Number.NaN })}
        />
      </Flex>
      <Flex as="label" gap="6px" align="center" whiteSpace="nowrap">
        reads down to, cd/m²
        <NumberField
          name="reads down to, cd/m²"
          min={0}
          step={0.01}
          h="24px"
          w="92px"
          fontSize="12px"
          placeholder="not known"
          value={meter.floor_cd_m2}
          onChange={(floor_cd_m2) => onMeter({ ...meter, floor_cd_m2 })}
        />
      </Flex>
    </>
  );
}

/** What the chosen measurements may be asked to do otherwise, and how the bench treats the panel. */
export function RunOptions({
  plan,
  options,
  declared,
  measurements,
  onOptions,
  meter,
  onMeter,
}: {
  plan: PlanPreview | undefined;
  options: Values;
  declared: RunOption[];
  measurements: Set<string>;
  onOptions: (o: Values) => void;
  /** Where a person reads by hand: their meter. */
  meter: Meter | null;
  onMeter: (m: Meter) => void;
}) {
  const set = (o: Values) => onOptions({ ...options, ...o });
  const habit = (key: "settle_s" | "rest_every" | "rest_s" | "reference_every_s", label: string) => (
    <Flex as="label" gap="6px" align="center" whiteSpace="nowrap">
      {label}
      <NumberField
        name={label}
        min={0}
        h="24px"
        w="72px"
        fontSize="12px"
        placeholder="usual"
        value={options[key] ?? null}
        onChange={(v) => set({ [key]: v })}
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
      {declared
        .filter((o) => measurements.has(o.measurement))
        .map((o) => (
          <Option
            key={o.field}
            option={o}
            value={options[o.field as keyof Values]}
            onChange={(v) => set({ [o.field]: v } as Values)}
          />
        ))}
      {plan && !plan.warm && (
        <Tick
          title={
            meter
              ? "At least half an hour. If the display may be cold, intervals are wider."
              : "Reads white until it drifts by less than 1 % in ten minutes. Runs without a warm-up are marked."
          }
          checked={options.warm_up ?? false}
          onChange={(warm_up) => set({ warm_up })}
        >
          {meter ? "the display has been on for an hour" : "warm up first"}
        </Tick>
      )}
      {meter ? (
        <HandMeter meter={meter} onMeter={onMeter} />
      ) : (
        <>
          {habit("settle_s", "settle, s")}
          {habit("rest_every", "rest after patches")}
          {habit("rest_s", "rest, s")}
          {habit("reference_every_s", "white again every, s")}
        </>
      )}
      {plan?.left_out.map((why) => (
        <Text key={why} color="lamp" w="100%">
          Left out: {why}
        </Text>
      ))}
    </Flex>
  );
}
