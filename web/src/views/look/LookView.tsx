import { Box, chakra, Flex, Grid, Text } from "@chakra-ui/react";
import { useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import type { Look } from "../../api/client";
import { BACK } from "../../app/keymap";
import { useKeys, useTitle } from "../../app/keys";
import { Failed, Key, Mono } from "../../kit/basics";
import { Select } from "../../kit/field";
import { useLook } from "./queries";

const A = chakra(Link);
const Img = chakra("img");

/** One scene, split: meant to the left of the divider, shown to the right. */
function Scene({ review, look, scene }: { review: number; look: Look; scene: Look["scenes"][number] }) {
  const [at, setAt] = useState(50);
  const query = new URLSearchParams({ factor: String(look.factor), target: look.target });
  const source = (meant: boolean) =>
    `/api/v1/reviews/${review}/look/${look.setup}/${scene.key}.png?${query}&meant=${meant}`;
  return (
    <Box as="figure" data-scene={scene.key}>
      <Flex as="figcaption" gap="10px" align="baseline" mb="5px">
        <Text fontWeight="600">{scene.title}</Text>
        <Box flex="1" />
        <Mono fontSize="12px" color="ink2">
          dE mean {scene.de_mean.toFixed(1)}, 95 % under {scene.de_p95.toFixed(1)}
        </Mono>
      </Flex>
      <Box position="relative" css={{ aspectRatio: "16 / 9" }} overflow="hidden" bg="sheet">
        <Img src={source(false)} alt={`${scene.title} as ${look.name} shows it`} w="100%" display="block" />
        <Box position="absolute" inset="0" style={{ clipPath: `inset(0 ${100 - at}% 0 0)` }}>
          <Img src={source(true)} alt={`${scene.title} as meant`} w="100%" display="block" />
        </Box>
        <Box position="absolute" top="0" bottom="0" w="1px" bg="ink" style={{ left: `${at}%` }} />
        <Box
          position="absolute"
          top="calc(50% - 13px)"
          h="26px"
          w="7px"
          ml="-3px"
          borderRadius="3px"
          bg="ink"
          border="1px solid"
          borderColor="ground"
          style={{ left: `${at}%` }}
        />
        <chakra.input
          type="range"
          aria-label={`Divider of ${scene.title}`}
          min={0}
          max={100}
          value={at}
          onChange={(e) => setAt(Number(e.target.value))}
          position="absolute"
          inset="0"
          w="100%"
          h="100%"
          opacity={0}
          cursor="ew-resize"
          _focusVisible={{ opacity: 0.25 }}
        />
      </Box>
      <Flex justify="space-between" color="ink3" fontSize="11px" mt="3px">
        <span>meant</span>
        <span>{scene.outside_percent >= 0.5 ? `${scene.outside_percent.toFixed(0)} % outside sRGB` : ""}</span>
        <span>{look.factor === 1 ? "shown" : `shown, error times ${look.factor}`}</span>
      </Flex>
    </Box>
  );
}

function Swatches({ look }: { look: Look }) {
  const worst = [...look.swatches].sort((a, b) => b.de - a.de);
  return (
    <Box as="section" aria-label="Swatches">
      <Text as="h2" fontWeight="600" mb="2px">
        {look.swatches_of}, worst first{" "}
        <chakra.span color="ink3" fontWeight="400">
          left half meant, right half as read; dotted edge: outside sRGB
        </chakra.span>
      </Text>
      <Grid templateColumns="repeat(auto-fill, minmax(104px, 1fr))" gap="10px 8px" mt="8px">
        {worst.map((s) => (
          <Box key={s.name} data-swatch={s.name}>
            <Flex
              h="42px"
              borderRadius="3px"
              overflow="hidden"
              border={s.outside ? "1px dotted" : undefined}
              borderColor="ink2"
            >
              <Box flex="1" style={{ background: s.meant }} />
              <Box flex="1" style={{ background: s.shown }} />
            </Flex>
            <Flex justify="space-between" mt="2px" fontSize="10.5px">
              <Mono color="ink3">{s.name}</Mono>
              <Mono color="ink2">{s.de.toFixed(1)}</Mono>
            </Flex>
          </Box>
        ))}
      </Grid>
    </Box>
  );
}

/** How patches and scenes look in a mode against how they were meant. */
export default function LookView() {
  const params = useParams();
  const review = Number(params.review);
  const setup = Number(params.setup);
  const [query, setQuery] = useSearchParams();
  const go = useNavigate();
  const factor = Number(query.get("factor") ?? 1);
  const target = query.get("target");
  const look = useLook(review, setup, target, factor);
  const set = (next: { factor?: number; target?: string }) => {
    const q = new URLSearchParams(query);
    if (next.factor !== undefined) q.set("factor", String(next.factor));
    if (next.target !== undefined) q.set("target", next.target);
    setQuery(q, { replace: true });
  };
  useKeys(BACK, { back: () => go(`/review/${review}`) });
  useTitle(look.data && `${look.data.name}, how it looks`);
  return (
    <Box>
      <Flex align="center" gap="14px" px="16px" py="9px" borderBottom="1px solid" borderColor="lineSoft" wrap="wrap">
        <Text as="h1" fontWeight="600">
          {look.data?.name ?? "…"}: how it looks
        </Text>
        <Box flex="1" />
        <Flex as="label" align="center" gap="8px" color="ink2">
          Error
          <Select value={factor} onChange={(e) => set({ factor: Number(e.target.value) })} data-testid="factor">
            {[1, 2, 3, 5, 10].map((f) => (
              <option key={f} value={f}>
                {f === 1 ? "as it is" : `${f} times`}
              </option>
            ))}
          </Select>
        </Flex>
        <Flex as="label" align="center" gap="8px" color="ink2">
          Target
          <Select value={target ?? look.data?.target ?? ""} onChange={(e) => set({ target: e.target.value })}>
            {look.data?.targets.map((t) => (
              <option key={t.key} value={t.key}>
                {t.title}
              </option>
            ))}
          </Select>
        </Flex>
        <A to={`/review/${review}`} color="ink2">
          Board <Key>esc</Key>
        </A>
      </Flex>
      {look.error && <Failed error={look.error} />}
      {look.data && (
        <Box px="16px" py="12px">
          <Text color="ink2" maxW="900px" mb="14px">
            {look.data.note}
          </Text>
          <Grid templateColumns={{ base: "1fr", md: "1fr 1fr" }} gap="18px 24px" mb="26px" maxW="1160px">
            {look.data.scenes.map((s) => (
              <Scene key={s.key} review={review} look={look.data} scene={s} />
            ))}
          </Grid>
          <Swatches look={look.data} />
        </Box>
      )}
    </Box>
  );
}
