import { Flex, Text } from "@chakra-ui/react";
import { useId } from "react";
import type { Sent, SetupView } from "../../../api/client";
import { decimal } from "../../../kit/decimal";
import { Field, Select } from "../../../kit/field";
import { Labelled } from "../../../kit/Labelled";

/** What a setup is beside its menu. Texts as typed; empty where nobody says. */
export interface Words {
  name: string;
  target: string;
  room: string;
  lux: string;
  note: string;
  range: string;
  bits: string;
  chroma: string;
  refresh: string;
  resolution: string;
  container: string;
  primaries: string;
  black: string;
  mastering: string;
  maxCll: string;
  maxFall: string;
  flag: string;
  content: string;
  signal: string;
}

const text = (v: number | null | undefined) => (v == null ? "" : String(v));

const formatOf = (f: SetupView["format"]) => ({
  range: f.range ?? "",
  bits: text(f.bits),
  chroma: f.chroma ?? "",
  refresh: text(f.refresh_hz),
  resolution: f.resolution ?? "",
  container: f.container ?? "",
  primaries: f.mastering_primaries ?? "",
  black: text(f.mastering_black_cd_m2),
  mastering: text(f.mastering_cd_m2),
  maxCll: text(f.max_cll),
  maxFall: text(f.max_fall),
  flag: f.flag ?? "",
  content: f.content ?? "",
  signal: f.name ?? "",
});

export const wordsOf = (v: SetupView): Words => ({
  name: v.name,
  target: v.target,
  room: v.room?.label ?? "",
  lux: v.room?.lux == null ? "" : String(v.room.lux),
  note: v.room?.note ?? "",
  ...formatOf(v.format),
});

/** Only what differs, as the API takes it. */
export function edited(words: Words, was: Words): Sent<"Settings"> {
  const body: Sent<"Settings"> = {};
  const differs = (...keys: (keyof Words)[]) => keys.some((k) => words[k] !== was[k]);
  if (differs("name")) body.name = words.name;
  if (differs("target")) body.target = words.target;
  if (differs("room", "lux", "note")) {
    if (words.room.trim()) body.room = { label: words.room.trim(), lux: decimal(words.lux), note: words.note };
    else body.no_room = true;
  }
  if (
    differs(
      "range",
      "bits",
      "chroma",
      "refresh",
      "resolution",
      "container",
      "primaries",
      "black",
      "mastering",
      "maxCll",
      "maxFall",
      "flag",
      "content",
      "signal",
    )
  )
    body.format = {
      range: (words.range || null) as "full" | "limited" | null,
      bits: decimal(words.bits),
      chroma: (words.chroma || null) as "4:4:4" | "4:2:2" | "4:2:0" | null,
      refresh_hz: decimal(words.refresh),
      resolution: words.resolution.trim() || null,
      container: (words.container || null) as Gamut | null,
      mastering_primaries: (words.primaries || null) as Gamut | null,
      mastering_black_cd_m2: decimal(words.black),
      mastering_cd_m2: decimal(words.mastering),
      max_cll: decimal(words.maxCll),
      max_fall: decimal(words.maxFall),
      flag: words.flag === "none" ? "none" : null,
      content: (words.content || null) as "film" | "game" | null,
      name: words.signal.trim() || null,
    };
  return body;
}

/** Name and target of a setup, the light in the room, and the signal. */
export function About({
  view,
  words,
  onWords,
}: {
  view: SetupView;
  words: Words;
  onWords: (w: Partial<Words>) => void;
}) {
  const [rooms, signals] = [useId(), useId()];
  return (
    <Flex gap="10px 14px" wrap="wrap" align="flex-start">
      <Labelled label="Name" width="180px">
        <Field
          w="100%"
          fontFamily="body"
          maxLength={80}
          value={words.name}
          onChange={(e) => onWords({ name: e.target.value })}
        />
      </Labelled>
      <Labelled label="Judged by">
        <Select value={words.target} onChange={(e) => onWords({ target: e.target.value })}>
          {view.targets.map((t) => (
            <option key={t.key} value={t.key}>
              {t.title}
            </option>
          ))}
        </Select>
      </Labelled>
      <Labelled label="Light in the room" width="190px">
        <Field
          w="100%"
          fontFamily="body"
          list={rooms}
          maxLength={80}
          placeholder={view.usual_room}
          value={words.room}
          onChange={(e) => {
            const known = view.rooms.find((r) => r.label === e.target.value);
            onWords({
              room: e.target.value,
              ...(known ? { lux: known.lux == null ? "" : String(known.lux), note: known.note ?? "" } : {}),
            });
          }}
        />
        <datalist id={rooms}>
          {view.rooms.map((r) => (
            <option key={r.label} value={r.label} />
          ))}
        </datalist>
      </Labelled>
      <Labelled label="lux at the screen" width="130px">
        <Field
          w="100%"
          inputMode="decimal"
          placeholder="not measured"
          disabled={!words.room.trim()}
          value={words.lux}
          onChange={(e) => onWords({ lux: e.target.value })}
        />
      </Labelled>
      <Labelled label="Lit by, from where" width="160px">
        <Field
          w="100%"
          fontFamily="body"
          maxLength={200}
          disabled={!words.room.trim()}
          value={words.note}
          onChange={(e) => onWords({ note: e.target.value })}
        />
      </Labelled>
      <Labelled label="Signal called" width="150px">
        <Field
          w="100%"
          fontFamily="body"
          list={signals}
          maxLength={60}
          placeholder="no name"
          value={words.signal}
          onChange={(e) => {
            // A signal is described once a review, and then chosen by its name.
            const known = view.formats.find((f) => f.name === e.target.value);
            onWords(known ? formatOf(known) : { signal: e.target.value });
          }}
        />
        <datalist id={signals}>
          {view.formats.map((f) => (
            <option key={f.name} value={f.name ?? ""} />
          ))}
        </datalist>
      </Labelled>
      <Labelled label="Signal range">
        <Select value={words.range} onChange={(e) => onWords({ range: e.target.value })}>
          <option value="">{view.usual_format.range}, as usual</option>
          <option value="full">full</option>
          <option value="limited">limited</option>
        </Select>
      </Labelled>
      <Labelled label="Bits" width="70px">
        <Field
          w="100%"
          inputMode="numeric"
          placeholder={String(view.usual_format.bits ?? "")}
          value={words.bits}
          onChange={(e) => onWords({ bits: e.target.value })}
        />
      </Labelled>
      <Labelled label="Chroma">
        <Select value={words.chroma} onChange={(e) => onWords({ chroma: e.target.value })}>
          <option value="">not recorded</option>
          {["4:4:4", "4:2:2", "4:2:0"].map((c) => (
            <option key={c}>{c}</option>
          ))}
        </Select>
      </Labelled>
      <Labelled label="Refresh, Hz" width="130px">
        <Field
          w="100%"
          inputMode="decimal"
          placeholder="not recorded"
          value={words.refresh}
          onChange={(e) => onWords({ refresh: e.target.value })}
        />
      </Labelled>
      <Labelled label="Resolution" width="130px">
        <Field
          w="100%"
          placeholder="not recorded"
          value={words.resolution}
          onChange={(e) => onWords({ resolution: e.target.value })}
        />
      </Labelled>
      <Gamuts
        label="Container primaries"
        none="as usual"
        value={words.container}
        onChange={(container) => onWords({ container })}
      />
      {view.signal !== "sdr" && (
        <Labelled label="HDR flag">
          <Select value={words.flag} onChange={(e) => onWords({ flag: e.target.value })}>
            <option value="">sent</option>
            <option value="none">not sent</option>
          </Select>
        </Labelled>
      )}
      <Labelled label="Content flag">
        <Select value={words.content} onChange={(e) => onWords({ content: e.target.value })}>
          <option value="">none sent</option>
          <option value="film">film</option>
          <option value="game">game</option>
        </Select>
      </Labelled>
      {view.signal === "pq" && (
        <>
          <Stated
            label="Mastering peak, cd/m²"
            value={words.mastering}
            onChange={(mastering) => onWords({ mastering })}
          />
          <Stated label="Mastering black" value={words.black} onChange={(black) => onWords({ black })} />
          <Gamuts
            label="Mastering primaries"
            none="none sent"
            value={words.primaries}
            onChange={(primaries) => onWords({ primaries })}
          />
          <Stated label="MaxCLL" value={words.maxCll} onChange={(maxCll) => onWords({ maxCll })} />
          <Stated label="MaxFALL" value={words.maxFall} onChange={(maxFall) => onWords({ maxFall })} />
        </>
      )}
      {view.shown && (
        <Labelled label="Shown, as the display said">
          <Text lineHeight="32px">{view.shown}</Text>
        </Labelled>
      )}
    </Flex>
  );
}

type Gamut = "bt709" | "p3_d65" | "bt2020";

/** Primaries of a signal. */
function Gamuts({
  label,
  none,
  value,
  onChange,
}: {
  label: string;
  none: string;
  value: string;
  onChange: (v: string) => void;
}) {
  return (
    <Labelled label={label}>
      <Select value={value} onChange={(e) => onChange(e.target.value)}>
        <option value="">{none}</option>
        <option value="bt709">BT.709</option>
        <option value="p3_d65">P3 D65</option>
        <option value="bt2020">BT.2020</option>
      </Select>
    </Labelled>
  );
}

/** One of the values that a PQ signal says of its content. */
function Stated({ label, value, onChange }: { label: string; value: string; onChange: (v: string) => void }) {
  return (
    <Labelled label={label} width="130px">
      <Field
        w="100%"
        inputMode="decimal"
        placeholder="none sent"
        value={value}
        onChange={(e) => onChange(e.target.value)}
      />
    </Labelled>
  );
}
