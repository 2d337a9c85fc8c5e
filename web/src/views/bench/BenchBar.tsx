import { Box, chakra, Flex, Text } from "@chakra-ui/react";
import type { ReactNode } from "react";
import type { BenchStatus } from "../../api/client";
import { api, got } from "../../api/client";
import { useAct, useBench } from "../../api/queries";
import { RUN } from "../../app/keymap";
import { useKeys } from "../../app/keys";
import { signed } from "../../charts/common";
import { Key, Mono, ProblemNote, QuietButton } from "../../parts/basics";
import { PANELS } from "../../parts/displays";
import { Select } from "../../parts/field";

const steer = {
  pause: () => got(api.POST("/api/v1/bench/pause")),
  resume: () => got(api.POST("/api/v1/bench/resume")),
  stop: () => got(api.POST("/api/v1/bench/stop")),
};

/** Three significant digits, as luminance is written everywhere. */
export const luminance = (Y: number) =>
  Y >= 1000 ? Math.round(Y).toLocaleString("en").replace(",", "\u2009") : Y.toPrecision(3);

/** Seconds as a person says them. */
export function duration(seconds: number): string {
  if (seconds < 1) return "under 1 s";
  const s = Math.round(seconds);
  if (s < 60) return `${s} s`;
  if (s < 3600) return `${Math.floor(s / 60)} min ${s % 60} s`;
  const minutes = Math.round(s / 60);
  return `${Math.floor(minutes / 60)} h ${minutes % 60} min`;
}

function Item({
  head,
  children,
  min,
  foot,
  line = false,
}: {
  head: string;
  children: ReactNode;
  min?: string;
  foot?: string;
  /** Beside its head rather than below it. */
  line?: boolean;
}) {
  return (
    <Box minW={min} flex="none" display={line ? "flex" : "block"} gap="8px" alignItems="baseline">
      <Text color="ink3" fontSize="11px" whiteSpace="nowrap">
        {head}
      </Text>
      <Mono display="block" fontSize="12.5px" whiteSpace="nowrap">
        {children}
      </Mono>
      {foot && (
        <Text color="ink3" fontSize="11px" whiteSpace="nowrap">
          {foot}
        </Text>
      )}
    </Box>
  );
}

/** The patch as colour. The signal is shown as sRGB: a reminder of what is meant, not what the unit shows. */
function Chip({ status }: { status: BenchStatus }) {
  const rgb = status.patch?.rgb;
  const css = rgb ? `rgb(${rgb.map((v: number) => Math.round(v * 255)).join(" ")})` : undefined;
  return (
    <Box
      w="46px"
      h="46px"
      flex="none"
      borderRadius="4px"
      border="1px solid"
      borderColor="line"
      style={{ background: css }}
      role="img"
      aria-label={status.patch ? `patch ${status.patch.code}` : "no patch"}
    />
  );
}

function Live({ status }: { status: BenchStatus }) {
  const reading = status.reading;
  const text = !reading
    ? "–"
    : reading.Y === null
      ? reading.outcome === "saturated"
        ? "over"
        : "floor"
      : luminance(reading.Y);
  return (
    <Flex align="center" gap="8px" minW="140px" flex="none" justify="flex-end" data-testid="live">
      <Mono fontSize="26px" color="lamp" lineHeight="1">
        {text}
      </Mono>
      <Box w="76px">
        <Text color="ink2" fontSize="12px">
          cd/m²
        </Text>
        {/* On a fast clock the next patch is on the screen already. */}
        <Text color="ink3" fontSize="11px" whiteSpace="nowrap" overflow="hidden" textOverflow="ellipsis">
          {reading?.code ?? "\u00a0"}
        </Text>
      </Box>
    </Flex>
  );
}

function Clock({ status }: { status: BenchStatus }) {
  const set = useAct((speed: number) => got(api.PUT("/api/v1/bench/clock", { body: { speed } })), ["bench", "plan"]);
  return (
    <Box flex="none" display={status.state === "idle" ? "flex" : "block"} gap="8px" alignItems="center">
      <Text as="label" color="ink3" fontSize="11px" display="block" {...{ htmlFor: "clock" }}>
        Stand-in clock
      </Text>
      <Select
        id="clock"
        value={String(status.speed)}
        onChange={(e) => set.mutate(Number(e.target.value))}
        bg="sheet"
        color="ink"
        fontFamily="mono"
        fontSize="12px"
        borderRadius="4px"
        h="24px"
      >
        <option value="1">real time</option>
        <option value="20">20 times</option>
        <option value="0">no waiting</option>
      </Select>
    </Box>
  );
}

/** Always at the bottom: instruments, patch, live reading, progress, time left, pause and stop. */
export function BenchBar() {
  const bench = useBench();
  const pause = useAct(steer.pause, ["bench"]);
  const resume = useAct(steer.resume, ["bench"]);
  const stop = useAct(steer.stop, ["bench", "board"]);
  const status = bench.data;
  const active: boolean = status?.state === "running" || status?.state === "paused" || status?.state === "queued";
  const run = status?.kind === "run";
  useKeys(RUN, { pause: () => (status?.state === "paused" ? resume.mutate() : pause.mutate()) }, active && run);
  if (!status) return <Box h="78px" flex="none" bg="sheet" borderTop="1px solid" borderColor="line" />;
  const share = status.total ? status.done / status.total : 0;
  const error = pause.error ?? resume.error ?? stop.error;
  return (
    <Box
      as="footer"
      aria-label="Bench"
      bg="sheet"
      flex="none"
      borderTop="1px solid"
      borderColor="line"
      position="relative"
    >
      {active && run && (
        <Box
          role="progressbar"
          aria-label="Run"
          aria-valuenow={status.done}
          aria-valuemax={status.total}
          position="absolute"
          top="-2px"
          left="0"
          h="3px"
          bg="lamp"
          style={{ width: `${100 * share}%` }}
        />
      )}
      {status.message && active && (
        <Box px="16px" pt="8px" color="ink" role="status" data-testid="bench-message">
          {status.message}
        </Box>
      )}
      {error && (
        <Box px="16px" pt="8px">
          <ProblemNote error={error} />
        </Box>
      )}
      <Flex
        minH={active ? "78px" : "40px"}
        align="center"
        gap="4px 10px"
        px="16px"
        py="4px"
        wrap={{ base: "wrap", lg: "nowrap" }}
      >
        {active ? <Running status={status} /> : <Idle status={status} />}
        <Box flex="1" />
        {status.drift_percent != null && <Item head="Drift">{signed(status.drift_percent)} %</Item>}
        <Box title={status.correction ? `by the correction of ${status.correction.made_on}` : undefined}>
          <Item
            line={!active}
            head={
              !active ? "Meter" : status.correction ? `Corrected, ${PANELS[status.correction.panel]}` : "Uncorrected"
            }
          >
            {status.fault ? (
              <chakra.span color="lamp">{status.fault}</chakra.span>
            ) : (
              status.meter.replace("Stand-in ", "")
            )}
          </Item>
        </Box>
        <Clock status={status} />
        {active && run && (
          <Flex gap="12px" py="8px" pl="8px">
            {status.state === "paused" ? (
              <QuietButton onClick={() => resume.mutate()} borderColor="lamp">
                Resume <Key>p</Key>
              </QuietButton>
            ) : (
              <QuietButton onClick={() => pause.mutate()}>
                Pause <Key>p</Key>
              </QuietButton>
            )}
            <QuietButton onClick={() => stop.mutate()}>Stop</QuietButton>
          </Flex>
        )}
      </Flex>
    </Box>
  );
}

function Idle({ status }: { status: BenchStatus }) {
  const last = status.reading;
  return (
    <>
      <Text color="ink2">
        <Text as="span" fontWeight="500" color="ink">
          Bench at rest.
        </Text>{" "}
        Select cells on a Board and measure them.
      </Text>
      {last && last.Y !== null && (
        <Item line head={`Last reading · ${last.code}`}>
          {luminance(last.Y)} cd/m²
        </Item>
      )}
    </>
  );
}

function Running({ status }: { status: BenchStatus }) {
  const { patch, reading } = status;
  const left = status.speed > 0 ? duration(status.left_s / status.speed) : "no waiting";
  return (
    <>
      <Chip status={status} />
      <Item
        head={[status.review_name, patch?.setup ?? "starting"].filter(Boolean).join(" · ")}
        min="160px"
        foot={patch?.place}
      >
        {patch?.code ?? "…"}
      </Item>
      <Live status={status} />
      <Item head="u′ v′" min="104px">
        {reading?.u == null || reading.v == null ? "–" : `${reading.u.toFixed(4)} ${reading.v.toFixed(4)}`}
      </Item>
      {reading?.target_Y != null && (
        <Item head="Target" min="56px">
          {luminance(reading.target_Y)}
        </Item>
      )}
      {reading?.de != null && (
        <Item head="dE" min="34px">
          {reading.de.toFixed(1)}
        </Item>
      )}
      {status.kind === "run" && (
        <>
          <Item head="Readings" min="80px">
            {status.done} of {status.total}
          </Item>
          <Item
            head={`${status.state === "paused" ? "Paused, left" : "Left"}${status.queued ? ` · ${status.queued} queued` : ""}`}
            min="76px"
          >
            {left}
          </Item>
        </>
      )}
    </>
  );
}
