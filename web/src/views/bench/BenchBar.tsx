import { Box, Flex, Text } from "@chakra-ui/react";
import { memo, type ReactNode, useRef } from "react";
import { useAct } from "../../api/act";
import type { BenchStatus } from "../../api/client";
import { api, got } from "../../api/client";
import { RUN } from "../../app/keymap";
import { useKeys } from "../../app/keys";
import { Key, ProblemNote, QuietButton } from "../../kit/basics";
import { PANELS } from "../../kit/displays";
import { Select } from "../../kit/field";
import { signed } from "../../pictures/common";
import { useBench } from "./queries";
import "./bench.css";

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
  min?: number;
  foot?: string;
  /** Beside its head rather than below it. */
  line?: boolean;
}) {
  return (
    <div className={line ? "item line" : "item"} style={{ minWidth: min }}>
      <p>{head}</p>
      <b>{children}</b>
      {foot && <p>{foot}</p>}
    </div>
  );
}

/** The patch as colour. The signal is shown as sRGB: a reminder of what is meant, not what the unit shows. */
function Chip({ patch }: { patch: BenchStatus["patch"] }) {
  const rgb = patch?.rgb;
  const css = rgb ? `rgb(${rgb.map((v: number) => Math.round(v * 255)).join(" ")})` : undefined;
  return (
    <div
      className="chip"
      style={{ background: css }}
      role="img"
      aria-label={patch ? `patch ${patch.code}` : "no patch"}
    />
  );
}

function Live({ reading }: { reading: BenchStatus["reading"] }) {
  const text = !reading
    ? "–"
    : reading.Y === null
      ? reading.outcome === "saturated"
        ? "over"
        : "floor"
      : luminance(reading.Y);
  return (
    <div className="live" data-testid="live">
      <b>{text}</b>
      <div>
        <p className="unit">cd/m²</p>
        {/* On a fast clock the next patch is on the screen already. */}
        <p>{reading?.code ?? "\u00a0"}</p>
      </div>
    </div>
  );
}

const Clock = memo(function Clock({ speed, idle }: { speed: number; idle: boolean }) {
  const set = useAct((speed: number) => got(api.PUT("/api/v1/bench/clock", { body: { speed } })), ["bench", "plan"]);
  return (
    <Box flex="none" display={idle ? "flex" : "block"} gap="8px" alignItems="center">
      <Text as="label" color="ink3" fontSize="11px" display="block" {...{ htmlFor: "clock" }}>
        Simulated clock
      </Text>
      <Select
        id="clock"
        value={String(speed)}
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
});

interface SteerProps {
  paused: boolean;
  pause: () => void;
  resume: () => void;
  stop: () => void;
}

const Steer = memo(function Steer({ paused, pause, resume, stop }: SteerProps) {
  return (
    <Flex gap="12px" py="8px" pl="8px">
      {paused ? (
        <QuietButton onClick={resume} borderColor="lamp">
          Resume <Key>p</Key>
        </QuietButton>
      ) : (
        <QuietButton onClick={pause}>
          Pause <Key>p</Key>
        </QuietButton>
      )}
      <QuietButton onClick={stop}>Stop</QuietButton>
    </Flex>
  );
});

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
  // The same functions for ever, so that the buttons aren't drawn anew with every reading.
  const steering = useRef({ pause: () => pause.mutate(), resume: () => resume.mutate(), stop: () => stop.mutate() });
  if (!status) return <div className="bench active" />;
  const share = status.total ? status.done / status.total : 0;
  const error = pause.error ?? resume.error ?? stop.error;
  return (
    <Box as="footer" aria-label="Bench" className={active ? "bench active" : "bench"}>
      {active && run && (
        <div
          role="progressbar"
          aria-label="Run"
          aria-valuenow={status.done}
          aria-valuemax={status.total}
          className="done"
          style={{ transform: `scaleX(${share})` }}
        />
      )}
      {status.message && active && (
        <div className="message" role="status" data-testid="bench-message">
          {status.message}
        </div>
      )}
      {error && (
        <Box px="16px" pt="8px">
          <ProblemNote error={error} />
        </Box>
      )}
      <div className="items">
        {active ? <Running status={status} /> : <Idle status={status} />}
        <div className="rest" />
        {status.drift_percent != null && (
          <Item head="Drift" line={!active}>
            {signed(status.drift_percent)} %
          </Item>
        )}
        <div title={status.correction ? `by the correction of ${status.correction.made_on}` : undefined}>
          <Item
            line={!active}
            head={
              !active ? "Meter" : status.correction ? `Corrected, ${PANELS[status.correction.panel]}` : "Uncorrected"
            }
          >
            {status.fault ? <em>{status.fault}</em> : status.meter.replace("Stand-in ", "")}
          </Item>
        </div>
        <Clock speed={status.speed} idle={status.state === "idle"} />
        {active && run && <Steer paused={status.state === "paused"} {...steering.current} />}
      </div>
    </Box>
  );
}

function Idle({ status }: { status: BenchStatus }) {
  const last = status.reading;
  return (
    <>
      <p className="at-rest">
        <b>Bench at rest.</b> Select cells on a Board and measure them.
      </p>
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
      <Chip patch={patch} />
      <Item
        head={[status.review_name, patch?.setup ?? "starting"].filter(Boolean).join(" · ")}
        min={160}
        foot={patch?.place}
      >
        {patch?.code ?? "…"}
      </Item>
      <Live reading={reading} />
      <Item head="u′ v′" min={104}>
        {reading?.u == null || reading.v == null ? "–" : `${reading.u.toFixed(4)} ${reading.v.toFixed(4)}`}
      </Item>
      {reading?.target_Y != null && (
        <Item head="Target" min={56}>
          {luminance(reading.target_Y)}
        </Item>
      )}
      {reading?.de != null && (
        <Item head="dE" min={34}>
          {reading.de.toFixed(1)}
        </Item>
      )}
      {status.kind === "run" && (
        <>
          <Item head="Readings" min={80}>
            {status.done} of {status.total}
          </Item>
          <Item
            head={`${status.state === "paused" ? "Paused, left" : "Left"}${status.queued ? ` · ${status.queued} queued` : ""}`}
            min={76}
          >
            {left}
          </Item>
        </>
      )}
    </>
  );
}
