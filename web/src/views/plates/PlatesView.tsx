import { Box, chakra, Flex, Grid, Text } from "@chakra-ui/react";
import { useQueryClient } from "@tanstack/react-query";
import { type RefObject, useEffect, useRef, useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import type { Plates } from "../../api/client";
import { useKeys, useTitle } from "../../app/keys";
import { ActionMenu } from "../../kit/ActionMenu";
import { Failed, Key, Mono, QuietButton, TakeOff } from "../../kit/basics";
import { Select } from "../../kit/field";
import { LineSample } from "../../kit/LineSample";
import { ChartPanel } from "../../pictures/ChartPanel";
import { useBoard } from "../board/queries";
import { PLATES_KEYS } from "./keys";
import { MeterFloor } from "./MeterFloor";
import { type Laid, laidIn, laidQuery, platesQuery, usePlates } from "./queries";
import { Readings } from "./Readings";
import { Reported } from "./Reported";

const A = chakra(Link);
function SetupTag({
  name,
  state,
  note,
  index,
  onRemove,
}: {
  name: string;
  state: string;
  note?: string;
  index: number;
  onRemove?: () => void;
}) {
  return (
    <Flex
      bg="sheet"
      border="1px solid"
      borderColor="control"
      borderRadius="5px"
      minH="30px"
      align="center"
      gap="9px"
      px="11px"
      py="2px"
      maxW="100%"
      wrap="wrap"
    >
      <LineSample index={index} />
      <Text minW={0} overflowWrap="anywhere">
        <b>{name}</b> <chakra.span color="ink3">{state}</chakra.span>
        {note && <chakra.span color="lamp"> · {note}</chakra.span>}
      </Text>
      {onRemove && <TakeOff aria-label={`Take ${name} off`} onClick={onRemove} />}
    </Flex>
  );
}

interface BarProps {
  plates: Plates;
  laid: Laid;
  tables: boolean;
  onLaid: (laid: Partial<Laid>) => void;
  onTables: () => void;
  onReadings: () => void;
  /** The targets are about to be chosen from. */
  onTargets: () => void;
  targets: RefObject<HTMLSelectElement | null>;
  laying: boolean;
  onLaying: (open: boolean) => void;
}

function Bar({ plates, laid, tables, onLaid, onTables, onReadings, onTargets, targets, laying, onLaying }: BarProps) {
  const free = plates.others.filter((o) => o.measured);
  const room = plates.shown.length + plates.pins.length < 4;
  const choose = (value: string) =>
    value.startsWith("pin ")
      ? onLaid({ pins: [...laid.pins, value.slice(4)] })
      : onLaid({ overlay: [...laid.overlay, Number(value)] });
  return (
    <Flex align="center" gap="10px" px="16px" py="9px" borderBottom="1px solid" borderColor="lineSoft" wrap="wrap">
      {plates.shown.map((s, i) => (
        <SetupTag
          key={s.setup}
          name={s.name}
          state={s.state}
          note={s.note}
          index={i}
          onRemove={i ? () => onLaid({ overlay: laid.overlay.filter((o) => o !== s.setup) }) : undefined}
        />
      ))}
      {plates.pins.map((p, i) => (
        <SetupTag
          key={p.key}
          name={p.title}
          state="pinned target"
          index={plates.shown.length + i}
          onRemove={() => onLaid({ pins: laid.pins.filter((k) => k !== p.key) })}
        />
      ))}
      {room && (free.length > 0 || plates.can_pin) && (
        <ActionMenu
          label="Overlay another mode, or pin a target"
          open={laying}
          onOpen={onLaying}
          onAct={choose}
          groups={[
            { title: "Another mode", actions: free.map((o) => ({ value: String(o.setup), words: o.name })) },
            {
              title: "Pin a target",
              actions: plates.can_pin
                ? plates.targets
                    .filter((t) => !laid.pins.includes(t.key))
                    .map((t) => ({ value: `pin ${t.key}`, words: t.title }))
                : [],
            },
          ]}
        >
          <QuietButton borderStyle="dashed" color="ink2" data-testid="overlay">
            Overlay… <Key>o</Key>
          </QuietButton>
        </ActionMenu>
      )}
      <Box flex="1" />
      {plates.against_target ? (
        <Flex as="label" align="center" gap="8px" color="ink2">
          Target
          <Select
            ref={targets}
            value={laid.target ?? plates.target}
            onChange={(e) => onLaid({ target: e.target.value })}
            onFocus={onTargets}
            onPointerEnter={onTargets}
            data-testid="target"
          >
            {plates.targets.map((t) => (
              <option key={t.key} value={t.key}>
                {t.title}
                {t.key === plates.shown[0]?.target ? " (declared)" : ""}
              </option>
            ))}
          </Select>
          <Key>t</Key>
        </Flex>
      ) : (
        <Text color="ink3">does not depend on a target</Text>
      )}
      <QuietButton onClick={onTables} aria-pressed={tables}>
        {tables ? "Hide numbers" : "Numbers"}
      </QuietButton>
      <QuietButton onClick={onReadings}>
        Readings <Key>r</Key>
      </QuietButton>
    </Flex>
  );
}

/** The charts of one cell, alone or with other modes over it, against any target. */
export default function PlatesView() {
  const params = useParams();
  const review = Number(params.review);
  const setup = Number(params.setup);
  const measurement = params.measurement ?? "";
  const [query, setQuery] = useSearchParams();
  const laid = laidIn(query);
  const go = useNavigate();
  const board = useBoard(review);
  const plates = usePlates(review, setup, measurement, laid);
  const wanted = query.get("chart");
  const loaded = plates.data !== undefined;
  // A link may lead to one chart of several.
  useEffect(() => {
    if (wanted && loaded) document.querySelector(`[data-chart="${CSS.escape(wanted)}"]`)?.scrollIntoView();
  }, [wanted, loaded]);
  const [tables, setTables] = useState(false);
  const [reading, setReading] = useState(false);

  const client = useQueryClient();
  const set = (next: Partial<Laid>) => {
    const to = { ...laid, ...next };
    // Asked for before the view is drawn anew, so that both go on at once.
    client.prefetchQuery(platesQuery(review, setup, measurement, to));
    setQuery(laidQuery(to), { replace: true, flushSync: true });
  };
  // By the time somebody has chosen from the list, the answers are there.
  const foresee = () => {
    for (const { key } of plates.data?.targets ?? [])
      client.prefetchQuery(platesQuery(review, setup, measurement, { ...laid, target: key }));
  };
  const rows = board.data?.rows ?? [];
  const row = rows.find((r) => r.setup === setup);
  const step = (by: number) => {
    const open: string[] = row?.cells.filter((c) => c.figures.length).map((c) => c.measurement) ?? [];
    const to = open[(open.indexOf(measurement) + by + open.length) % open.length];
    if (to) go(`/review/${review}/plates/${setup}/${to}?${query}`, { replace: true });
  };
  const climb = (by: number) => {
    const open = rows.filter((r) => r.cells.some((c) => c.measurement === measurement && c.figures.length));
    const to = open[(open.findIndex((r) => r.setup === setup) + by + open.length) % open.length];
    if (to)
      go(`/review/${review}/plates/${to.setup}/${measurement}?${laidQuery({ ...laid, overlay: [] })}`, {
        replace: true,
      });
  };
  const targets = useRef<HTMLSelectElement>(null);
  const [laying, setLaying] = useState(false);
  useKeys(PLATES_KEYS, {
    target: () => targets.current?.focus(),
    overlay: () => setLaying(true),
    look: () => go(`/review/${review}/look/${setup}`),
    readings: () => setReading(true),
    before: () => step(-1),
    after: () => step(1),
    above: () => climb(-1),
    below: () => climb(1),
    back: () => go(`/review/${review}`),
  });
  useTitle(plates.data && row && `${plates.data.title}, ${row.name}, ${board.data?.review.name}`);

  return (
    <Box>
      <Flex
        align="center"
        gap="4px 14px"
        px="16px"
        minH="40px"
        borderBottom="1px solid"
        borderColor="lineSoft"
        wrap="wrap"
      >
        <Text as="h1" fontWeight="600" overflowWrap="anywhere">
          {row?.name ?? "…"}
        </Text>
        <Flex as="nav" aria-label="Measurements" gap="0 10px" wrap="wrap" whiteSpace="nowrap" fontSize="12.5px">
          {row?.cells
            .filter((c) => c.figures.length)
            .map((c) => (
              <A
                key={c.measurement}
                to={`/review/${review}/plates/${setup}/${c.measurement}?${query}`}
                replace
                color={c.measurement === measurement ? "ink" : "ink2"}
                borderBottom="2px solid"
                borderColor={c.measurement === measurement ? "ink" : "transparent"}
                aria-current={c.measurement === measurement ? "page" : undefined}
                lineHeight="36px"
              >
                {board.data?.columns.find((k) => k.measurement === c.measurement)?.short}
              </A>
            ))}
        </Flex>
        <Box flex="1" />
        <A to={`/review/${review}/look/${setup}`} color="ink2" whiteSpace="nowrap">
          Look <Key>l</Key>
        </A>
        <A to={`/review/${review}`} color="ink2" whiteSpace="nowrap">
          Board <Key>esc</Key>
        </A>
      </Flex>
      {plates.error && <Failed error={plates.error} />}
      {reading && plates.data && (
        <Readings
          review={review}
          setup={setup}
          measurement={measurement}
          title={`${plates.data.title} of ${row?.name ?? ""}`}
          reports={board.data?.can.reports ?? false}
          close={() => setReading(false)}
        />
      )}
      {plates.data && (
        <>
          <Bar
            plates={plates.data}
            laid={laid}
            tables={tables}
            onLaid={set}
            onTables={() => setTables((t) => !t)}
            onReadings={() => setReading(true)}
            onTargets={foresee}
            targets={targets}
            laying={laying}
            onLaying={setLaying}
          />
          <Text px="16px" pt="10px" color="ink2" data-testid="words">
            <chakra.h2 display="inline" fontWeight="600">
              {plates.data.title}.
            </chakra.h2>{" "}
            {plates.data.words}
          </Text>
          <Flex px="16px" pt="6px" gap="4px 22px" wrap="wrap" data-testid="figures">
            {plates.data.columns.map((c) => (
              <Text key={c.head} color="ink3">
                {c.head} <Mono color="ink">{c.texts.join(" → ")}</Mono> {c.unit}
                {c.measurable != null && (c.measurable ? " · measurable" : " · not to be told apart")}
              </Text>
            ))}
          </Flex>
          {plates.data.floor && <MeterFloor floor={plates.data.floor} />}
          {plates.data.hosted && plates.data.shown[0] && (
            <Reported review={Number(review)} setup={plates.data.shown[0].setup} reported={plates.data.reported} />
          )}
          <Grid
            templateColumns={{ base: "minmax(0, 1fr)", md: "repeat(2, minmax(0, 1fr))" }}
            gap="20px 32px"
            alignItems="start"
            px="16px"
            py="12px"
            data-target={plates.data.target}
          >
            {plates.data.charts.map((chart) => (
              <Box
                key={chart.key}
                gridRow={chart.kind === "plane" || (chart.aspect ?? 9) < 1.2 ? { md: "span 2" } : undefined}
                minW={0}
              >
                <ChartPanel
                  chart={chart}
                  tables={tables}
                  name={`${board.data?.review.name ?? ""} ${row?.name ?? ""}`}
                />
              </Box>
            ))}
          </Grid>
          <Text px="16px" pb="14px" color="ink3" fontSize="12px" data-testid="provenance">
            {plates.data.provenance}
          </Text>
        </>
      )}
    </Box>
  );
}
