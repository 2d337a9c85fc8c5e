import { Box, chakra, Flex, Grid, Text } from "@chakra-ui/react";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { useAct } from "../../api/act";
import { api, type CameraCheck, got, type Sent } from "../../api/client";
import { useKeys, useTitle } from "../../app/keys";
import { Failed, Key, LampButton, Mono, ProblemNote, Quiet, QuietButton, TakeOff, ViewHead } from "../../kit/basics";
import { ChooseFile } from "../../kit/ChooseFile";
import { Choice, Field } from "../../kit/field";
import { base64Of } from "../../kit/files";
import { Labelled } from "../../kit/Labelled";
import { NumberField } from "../../kit/NumberField";
import { ChartPanel } from "../../pictures/ChartPanel";
import { useBoard } from "../board/queries";
import { CAMERA_KEYS } from "./keys";
import { useCamera } from "./queries";

const A = chakra(Link);
type Side = NonNullable<Sent<"NewPhoto">["side"]>;
const SIDES: Record<Side, string> = {
  left: "the display is at the left, the light that pulses at the right",
  right: "the display is at the right, the light that pulses at the left",
  whole: "the display alone",
};
const SHUTTERS: Record<string, string> = {
  "0.0005": "1/2000 s",
  "0.001": "1/1000 s",
  "0.004": "1/250 s",
  "0.02": "1/50 s",
};

/** What a photo shows. */
function Check({ check, onForget }: { check: CameraCheck; onForget: () => void }) {
  return (
    <Box borderTop="1px solid" borderColor="lineSoft" py="14px" data-testid="camera-check" data-verdict={check.verdict}>
      <Flex gap="12px" align="baseline" mb="8px">
        <Text fontSize="15px" fontWeight="600" color={check.verdict === "nothing told" ? "lamp" : undefined}>
          {check.sentence}
        </Text>
        <Box flex="1" />
        <Text color="ink3" fontSize="12px" whiteSpace="nowrap">
          {[check.setup_name, check.shutter, check.made_at.slice(0, 10)].filter(Boolean).join(" · ")}
        </Text>
        <TakeOff aria-label="Forget this photo" onClick={onForget} />
      </Flex>
      {check.note && (
        <Text color="ink2" mb="8px">
          {check.note}
        </Text>
      )}
      <Grid templateColumns={{ base: "1fr", lg: "280px minmax(0, 1fr) minmax(0, 1fr)" }} gap="20px" alignItems="start">
        <Box>
          <chakra.img
            src={`/api/v1/observations/${check.id}/picture`}
            alt="As it was kept"
            w="100%"
            borderRadius="3px"
          />
          {check.parts.map((p) => (
            <Text key={p.what} fontSize="12.5px" mt="6px" color="ink2">
              {p.what}:{" "}
              {p.cycles === null ? (
                <>
                  none deeper than <Mono>{p.least_percent.toFixed(1)}</Mono> %
                </>
              ) : (
                <>
                  <Mono>{p.cycles.toFixed(1)}</Mono> bands, <Mono>{p.depth_percent.toFixed(0)}</Mono> % deep
                  {p.hz !== null && (
                    <>
                      , <Mono>{p.hz.toFixed(0)}</Mono> Hz
                    </>
                  )}
                </>
              )}
            </Text>
          ))}
        </Box>
        {check.charts.map((c) => (
          <ChartPanel key={c.key} chart={c} name="camera" tables={false} />
        ))}
      </Grid>
    </Box>
  );
}

/** A photo of the screen beside a light that is known to pulse: whether a camera sees bands. */
export default function CameraView() {
  const review = Number(useParams().review);
  const go = useNavigate();
  const board = useBoard(review);
  const checks = useCamera(review);
  const [setup, setSetup] = useState("");
  const [side, setSide] = useState<Side>("left");
  const [hz, setHz] = useState<number | null>(null);
  const [shutter, setShutter] = useState("");
  const [note, setNote] = useState("");
  const [open, setOpen] = useState("0.001");
  const path = { review };
  const send = useAct(
    async (file: File) =>
      got(
        api.POST("/api/v1/reviews/{review}/camera", {
          params: { path },
          body: {
            photo: await base64Of(file),
            side,
            setup: setup ? Number(setup) : null,
            reference_hz: side === "whole" ? null : hz,
            shutter,
            note,
          },
        }),
      ),
    ["camera"],
  );
  const take = useAct(
    (body: Sent<"TakePhoto">) => got(api.POST("/api/v1/reviews/{review}/camera/photo", { params: { path }, body })),
    ["camera"],
  );
  const forget = useAct(
    (observation: number) =>
      got(api.DELETE("/api/v1/observations/{observation}", { params: { path: { observation } } })),
    ["camera"],
  );
  useKeys(CAMERA_KEYS, { back: () => go(`/review/${review}`) });
  useTitle(board.data && `Camera check, ${board.data.review.name}`);
  const problem = board.error ?? checks.error;
  if (problem) return <Failed error={problem} />;
  if (!board.data || !checks.data) return <Quiet>Loading</Quiet>;
  const rows = board.data.rows;
  const first = rows[0]?.setup ?? 0;
  const names = Object.fromEntries(rows.map((r) => [String(r.setup), r.name]));
  return (
    <Flex direction="column" h="100%">
      <ViewHead title="Camera check">
        <Text color="ink3">does a camera see the light pulse?</Text>
        <Box flex="1" />
        <QuietButton asChild>
          <A to={`/review/${review}/conditions`}>Conditions</A>
        </QuietButton>
        <QuietButton asChild>
          <A to={`/review/${review}`}>
            Board <Key>esc</Key>
          </A>
        </QuietButton>
      </ViewHead>
      <Box p="16px" overflowY="auto" flex="1">
        <Text color="ink2" maxW="820px" mb="12px">
          Show white on the display and on a screen or lamp that is known to pulse, side by side, and photograph both at
          once with a short shutter. Stripes on the display mean that its light pulses; stripes on the other alone mean
          that a camera would have seen it.
        </Text>
        <Flex gap="14px" align="end" wrap="wrap" mb="8px">
          <Labelled label="How the display stood" width="200px">
            <Choice value={setup} choices={{ "": "not said", ...names }} onChange={setSetup} w="100%" />
          </Labelled>
          <Labelled label="In the photo" width="390px">
            <Choice value={side} choices={SIDES} onChange={setSide} w="100%" />
          </Labelled>
          {side !== "whole" && (
            <Labelled label="It pulses at, Hz" width="120px">
              <NumberField value={hz} onChange={setHz} min={0} placeholder="not known" w="100%" />
            </Labelled>
          )}
          <Labelled label="Shutter" width="100px">
            <Field
              value={shutter}
              onChange={(e) => setShutter(e.target.value)}
              placeholder="1/1000 s"
              maxLength={40}
              w="100%"
            />
          </Labelled>
          <Labelled label="Note" width="200px">
            <Field value={note} onChange={(e) => setNote(e.target.value)} maxLength={200} w="100%" />
          </Labelled>
          <ChooseFile
            label="Photo"
            accept={["image/jpeg", "image/png", "image/webp", "image/tiff"]}
            onFile={(file) => send.mutate(file)}
            loading={send.isPending}
          >
            Choose a photo…
          </ChooseFile>
        </Flex>
        <Text color="ink3" fontSize="12px" mb="12px">
          Lumenar stores a smaller copy without place, time or camera data.
        </Text>
        {board.data.can.photographs && (
          <Flex gap="10px" align="center" mb="14px">
            <LampButton
              loading={take.isPending}
              onClick={() => take.mutate({ setup: Number(setup) || first, shutter_s: Number(open) })}
              data-testid="take-photo"
            >
              Photograph the simulated display
            </LampButton>
            <Text color="ink2">in {names[setup || String(first)]}, shutter</Text>
            <Choice
              aria-label="Shutter of the simulated camera"
              value={open}
              choices={SHUTTERS}
              onChange={setOpen}
              w="110px"
            />
          </Flex>
        )}
        {(send.error ?? take.error ?? forget.error) && <ProblemNote error={send.error ?? take.error ?? forget.error} />}
        {checks.data.map((c) => (
          <Check key={c.id} check={c} onForget={() => forget.mutate(c.id)} />
        ))}
      </Box>
    </Flex>
  );
}
