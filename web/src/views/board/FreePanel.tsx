import { Box, chakra, Flex, Text } from "@chakra-ui/react";
import { useEffect, useState } from "react";
import { useAct } from "../../api/act";
import { api, got } from "../../api/client";
import { useKeys } from "../../app/keys";
import { Key, LampButton, Mono, ProblemNote, QuietButton } from "../../kit/basics";
import { Select } from "../../kit/field";
import { luminance } from "../bench/BenchBar";
import { useBench, useFree } from "../bench/queries";
import { FREE_KEYS } from "./keys";

const Range = chakra("input");
type Rgb = [number, number, number];
/** What can be held before the meter, by its name. */
const PICTURES: Record<string, Rgb> = {
  white: [1, 1, 1],
  "grey 75 %": [0.75, 0.75, 0.75],
  "grey 50 %": [0.5, 0.5, 0.5],
  "grey 25 %": [0.25, 0.25, 0.25],
  "grey 10 %": [0.1, 0.1, 0.1],
  "grey 5 %": [0.05, 0.05, 0.05],
  black: [0, 0, 0],
  red: [1, 0, 0],
  green: [0, 1, 0],
  blue: [0, 0, 1],
  cyan: [0, 1, 1],
  magenta: [1, 0, 1],
  yellow: [1, 1, 0],
};

/** The meter running free: move a slider, watch the light, capture setting and reading. */
export function FreePanel({ review }: { review: number }) {
  const free = useFree();
  const bench = useBench();
  const view = free.data;
  const open = view?.running && view.review === review;
  const touched = ["free"];
  const move = useAct(
    (m: { control: string; value: number }) => got(api.PUT("/api/v1/free/control", { body: m })),
    touched,
  );
  const hold = useAct((body: { rgb: Rgb; window: number }) => got(api.PUT("/api/v1/free/picture", { body })), touched);
  const capture = useAct(() => got(api.POST("/api/v1/free/captures")), touched);
  const ladder = useAct(() => got(api.POST("/api/v1/free/ladder")), ["free", "board", "plates"]);
  const setting = useAct(() => got(api.POST("/api/v1/free/setting")), ["free", "board", "setup"]);
  const stop = useAct(() => got(api.DELETE("/api/v1/free")), ["free", "bench", "board"]);
  const control = view?.controls.find((c) => c.path === view.control);
  const [value, setValue] = useState(control?.value ?? 0);
  const given = control?.value;
  useEffect(() => {
    if (given !== undefined) setValue(given);
  }, [given]);
  const to = (v: number) => {
    if (!control) return;
    const next = Math.min(control.maximum, Math.max(control.minimum, v));
    setValue(next);
    move.mutate({ control: control.path, value: next });
  };
  useKeys(
    FREE_KEYS,
    {
      capture: () => capture.mutate(),
      less: () => to(value - (control?.step ?? 1)),
      more: () => to(value + (control?.step ?? 1)),
    },
    Boolean(open),
  );
  if (!open && view?.message) {
    return (
      <Text role="alert" px="16px" py="8px" color="lamp">
        {view.message}
      </Text>
    );
  }
  if (!open || !control) return null;
  const reading = bench.data?.reading;
  const error = hold.error ?? move.error ?? capture.error ?? ladder.error ?? setting.error ?? stop.error;
  return (
    <Box borderBottom="1px solid" borderColor="line" bg="sheet" px="16px" py="12px" data-testid="free">
      <Flex gap="20px" align="center" wrap="wrap">
        <Box minW="170px">
          <Text as="h2" fontWeight="600">
            {view.setup_name}: the meter runs free
          </Text>
          <Flex
            gap="6px"
            mt="3px"
            title="Shows another picture briefly now and then, because some displays dim a still picture."
          >
            <Select
              aria-label="Picture to hold"
              h="26px"
              fontSize="12px"
              value={view.picture.rgb.join(" ")}
              onChange={(e) =>
                hold.mutate({ rgb: e.target.value.split(" ").map(Number) as Rgb, window: view.picture.window })
              }
            >
              {Object.entries(PICTURES).map(([name, rgb]) => (
                <option key={name} value={rgb.join(" ")}>
                  {name}
                </option>
              ))}
            </Select>
            <Select
              aria-label="Part of the screen"
              h="26px"
              fontSize="12px"
              value={String(view.picture.window)}
              onChange={(e) => hold.mutate({ rgb: view.picture.rgb, window: Number(e.target.value) })}
            >
              {[0.01, 0.1, 0.25, 0.5, 1].map((w) => (
                <option key={w} value={String(w)}>
                  {100 * w} % of the screen
                </option>
              ))}
            </Select>
          </Flex>
        </Box>
        <Flex align="baseline" gap="8px" minW="150px" justify="flex-end">
          <Mono fontSize="30px" color="lamp" lineHeight="1" data-testid="free-reading">
            {reading?.Y == null ? "–" : luminance(reading.Y)}
          </Mono>
          <Text color="ink2">cd/m²</Text>
        </Flex>
        <Select
          aria-label="Control to move"
          value={control.path}
          onChange={(e) => {
            const c = view.controls.find((x) => x.path === e.target.value);
            if (c) move.mutate({ control: c.path, value: c.value });
          }}
        >
          {view.controls.map((c) => (
            <option key={c.path} value={c.path}>
              {c.path.replaceAll(">", "›")}
            </option>
          ))}
        </Select>
        <Range
          type="range"
          aria-label={control.path}
          min={control.minimum}
          max={control.maximum}
          step={control.step}
          value={value}
          onChange={(e) => to(Number(e.target.value))}
          flex="1"
          minW="160px"
          accentColor="ink"
        />
        <Mono minW="40px" textAlign="right" fontSize="16px">
          {value}
        </Mono>
        <LampButton onClick={() => capture.mutate()} loading={capture.isPending} data-testid="capture">
          Capture <Key on>space</Key>
        </LampButton>
      </Flex>
      <Flex gap="8px 14px" align="center" mt="10px" wrap="wrap">
        <Text color="ink3">Captured</Text>
        {view.captures.length === 0 && <Text color="ink3">nothing yet: move the slider, then press space</Text>}
        {view.captures.map((c) => (
          <Mono key={c.value} data-testid="captured">
            <chakra.span color="ink3">{c.value}:</chakra.span> {luminance(c.Y)}
          </Mono>
        ))}
        <Box flex="1" />
        <QuietButton
          disabled={view.captures.length < 3 || !control.luminance}
          onClick={() => ladder.mutate()}
          title={control.luminance ? undefined : "Only captures along the brightness control can be saved"}
        >
          Save as brightness control readings
        </QuietButton>
        <QuietButton onClick={() => setting.mutate()}>Save {value} as the setting</QuietButton>
        <QuietButton onClick={() => stop.mutate()} loading={stop.isPending}>
          Done <Key>esc</Key>
        </QuietButton>
      </Flex>
      {view.message && <Text color="lamp">{view.message}</Text>}
      {error && (
        <Box mt="8px">
          <ProblemNote error={error} />
        </Box>
      )}
    </Box>
  );
}
