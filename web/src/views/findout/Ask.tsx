import { Box, Flex, Grid, Text } from "@chakra-ui/react";
import { useState } from "react";
import type { Sent } from "../../api/client";
import { ProblemNote, Quiet } from "../../kit/basics";
import { Choice } from "../../kit/field";
import { Labelled } from "../../kit/Labelled";
import { Tick } from "../../kit/toggles";
import { CostOf } from "./CostOf";
import { useExperimentCost, useQuestions } from "./queries";

export type Question = Sent<"NewExperiment">;

/** What can be asked, and what the answer will take. */
export function Ask({
  review,
  setup,
  control,
  byHand,
  busy,
  error,
  onStart,
}: {
  review: number;
  setup: number;
  /** The control that it is about where one came with it. */
  control: string;
  byHand: boolean;
  busy: boolean;
  error: Error | null;
  onStart: (q: Question) => void;
}) {
  const choices = useQuestions(review, setup);
  const [picked, setKind] = useState<Question["kind"]>("does");
  const [first, setFirst] = useState(control);
  const [second, setSecond] = useState("");
  const [ranked, setBy] = useState("white");
  const [setups, setSetups] = useState<number[]>([]);
  // A setup for HDR is asked other things than one for SDR.
  const about = choices.data?.kinds.find((k) => k.key === picked) ?? choices.data?.kinds[0];
  const kind = (about?.key ?? picked) as Question["kind"];
  const one = kind === "difference";
  const figuresOf = choices.data?.by ?? {};
  const by = ranked in figuresOf ? ranked : (Object.keys(figuresOf)[0] ?? ranked);
  // A difference needs a control no more, shadows may do without.
  const path = about?.control && !one ? first || (about.setups ? "" : (choices.data?.controls[0]?.path ?? "")) : "";
  const question: Question = {
    kind,
    setup,
    control: path,
    second: kind === "notches" ? second : "",
    by,
    setups: about?.setups ? setups : [],
  };
  const ready = about?.setups ? setups.length > 0 || path !== "" : path !== "" || about?.control === false;
  const several = one ? "Choose the setup to compare with." : "Choose setups, or a control whose values are ranked.";
  const wanting = about?.setups ? several : "No control in the menu map can be set here.";
  const cost = useExperimentCost(review, choices.data && ready ? question : null);
  if (choices.error) return <ProblemNote error={choices.error} />;
  if (!choices.data) return <Quiet>Loading</Quiet>;
  const { kinds, controls, by: figures } = choices.data;
  const named = (none: string | null) => ({
    ...(none === null ? {} : { "": none }),
    ...Object.fromEntries(controls.map((c) => [c.path, c.path.replaceAll(" > ", " › ")])),
  });
  return (
    <Grid templateColumns={{ base: "1fr", lg: "minmax(0, 460px) minmax(0, 1fr)" }} gap="36px" p="16px">
      <Box>
        <Flex direction="column" gap="2px" role="group" aria-label="Question" mb="16px">
          {kinds.map((k) => (
            <Box
              as="button"
              key={k.key}
              aria-pressed={k.key === kind}
              onClick={() => setKind(k.key as Question["kind"])}
              textAlign="left"
              px="10px"
              py="6px"
              borderRadius="4px"
              cursor="pointer"
              bg={k.key === kind ? "raised" : undefined}
              fontWeight={k.key === kind ? 600 : 400}
              _hover={{ bg: "raised" }}
            >
              {k.title}
            </Box>
          ))}
        </Flex>
        <Flex direction="column" gap="12px">
          {about?.control && (
            <Labelled label={about.setups ? "All values of" : "Control"}>
              <Choice
                w="100%"
                h="30px"
                value={path}
                choices={named(about.setups ? "no control, setups only" : null) as Record<string, string>}
                onChange={setFirst}
                data-testid="asked-control"
              />
            </Labelled>
          )}
          {kind === "notches" && (
            <>
              <Labelled label="Together with">
                <Choice
                  w="100%"
                  h="30px"
                  value={second}
                  choices={named("nothing else") as Record<string, string>}
                  onChange={setSecond}
                />
              </Labelled>
              <Labelled label="Ranked by">
                <Choice w="100%" h="30px" value={by} choices={figures} onChange={setBy} />
              </Labelled>
            </>
          )}
          {about?.setups && (
            <Box role="group" aria-label="Setups to compare with">
              <Text color="ink2" fontSize="12px" mb="4px">
                {one ? "Compared with" : "And the setups"}
              </Text>
              {choices.data.setups.map((s) => (
                <Box key={s.setup} py="2px">
                  <Tick
                    checked={setups.includes(s.setup)}
                    onChange={(on) =>
                      setSetups(on ? (one ? [s.setup] : [...setups, s.setup]) : setups.filter((x) => x !== s.setup))
                    }
                  >
                    {s.name}
                  </Tick>
                </Box>
              ))}
            </Box>
          )}
        </Flex>
      </Box>
      <CostOf
        wanting={ready ? "" : wanting}
        cost={cost}
        who={byHand ? "You enter, look and type" : "The remote enters and looks"}
        busy={busy}
        error={error}
        onStart={() => onStart(question)}
      />
    </Grid>
  );
}
