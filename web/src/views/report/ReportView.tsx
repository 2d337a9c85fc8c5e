import { Box, chakra, Flex, Grid, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import type { DraftReport } from "../../api/client";
import { useKeys, useTitle } from "../../app/keys";
import { Failed, Key, ProblemNote, Quiet, QuietButton } from "../../kit/basics";
import { useBoard } from "../board/queries";
import { Publish } from "../verdict/Publish";
import { useVerdict } from "../verdict/queries";
import { Claims } from "./Claims";
import { ClashNote } from "./ClashNote";
import { choiceOf, chosen, isTold, movedBy, purposeOf, toggled, toldOf } from "./edit";
import { FindingList } from "./FindingList";
import { REPORT_KEYS } from "./keys";
import { Imprint, NotTested, Paragraphs } from "./MoreFields";
import { nextWidth, Preview, type Width } from "./Preview";
import { reportQuery } from "./queries";
import { ReportText } from "./Texts";
import { useStory } from "./useStory";

const A = chakra(Link);

/** Whether the report is saved, and the way back. */
function Saved({ story, report }: { story: ReturnType<typeof useStory>; report: DraftReport }) {
  const state = story.saving
    ? "Saving"
    : story.unsaved
      ? "Not saved yet"
      : report.saved_at
        ? "Saved"
        : "Not edited yet";
  return (
    <Flex gap="8px" align="center">
      <Text color="ink3" role="status" data-testid="saved">
        {state}
      </Text>
      <QuietButton h="26px" disabled={!report.can_undo && !story.unsaved} onClick={story.undo}>
        Undo <Key>z</Key>
      </QuietButton>
      <QuietButton h="26px" disabled={!report.can_redo} onClick={story.redo}>
        Redo <Key>Z</Key>
      </QuietButton>
    </Flex>
  );
}

interface Focus {
  selector: string;
  at: number;
}

/** Keys of the view: they act on the finding that is chosen. */
function useReportKeys(
  review: number,
  report: DraftReport,
  story: ReturnType<typeof useStory>,
  state: {
    chosenKey: string | null;
    choose: (key: string, at: number | null) => void;
    write: (key: string | null) => void;
    setWidth: (make: (old: Width) => Width) => void;
  },
) {
  const go = useNavigate();
  const told = toldOf(story.edit, report.findings);
  const every = [...told, ...report.findings.filter((f) => f.found && !told.includes(f))];
  const now = every.find((f) => f.key === state.chosenKey);
  const step = (event: KeyboardEvent, by: number) => {
    if (event.shiftKey && now) {
      story.change((old) => movedBy(old, report.findings, now.key, by));
      return;
    }
    const at = now ? every.indexOf(now) + by : by > 0 ? 0 : every.length - 1;
    const next = every[Math.max(0, Math.min(every.length - 1, at))];
    if (!next) return;
    state.choose(next.key, told.includes(next) ? told.indexOf(next) : null);
    document.getElementById(`finding-${next.key}`)?.scrollIntoView({ block: "nearest" });
  };
  useKeys(REPORT_KEYS, {
    up: (e) => step(e, -1),
    down: (e) => step(e, 1),
    edit: () => now && isTold(story.edit, now) && state.write(now.key),
    drop: () => now && story.change((old) => toggled(old, now)),
    chart: () =>
      now?.has_chart && story.change((old) => chosen(old, now.key, { chart: !choiceOf(old, now.key).chart })),
    undo: () => story.undo(),
    redo: () => story.redo(),
    width: () => state.setWidth(nextWidth),
    back: () => {
      const active = document.activeElement;
      if (active instanceof HTMLElement && active.matches("textarea, input")) active.blur();
      else go(`/review/${review}`);
    },
  });
}

function Editor({ review, report }: { review: number; report: DraftReport }) {
  const story = useStory(review, report);
  const { edit, change } = story;
  const verdict = useVerdict(review);
  const [chosenKey, setChosenKey] = useState<string | null>(null);
  const [writing, write] = useState<string | null>(null);
  const [focus, setFocus] = useState<Focus | null>(null);
  const [width, setWidth] = useState<Width>("desktop");
  const choose = (key: string, at: number | null) => {
    setChosenKey(key);
    setFocus(at === null ? null : { selector: ".found > section", at });
  };
  useReportKeys(review, report, story, { chosenKey, choose, write, setWidth });
  const confirm = (name: string) => void story.save([name]);
  const purpose = (key: string, text: string | null) =>
    change((old) => {
      const { [key]: _, ...others } = old.purposes;
      return { ...old, purposes: text === null ? others : { ...others, [key]: text } };
    });
  return (
    <Grid
      templateColumns={{ base: "minmax(0, 1fr)", lg: "minmax(0, 1fr) minmax(0, 1fr)" }}
      h={{ lg: "calc(100dvh - var(--bars, 88px))" }}
    >
      <Box overflowY={{ lg: "auto" }} px="16px" py="12px" data-testid="editor">
        <Flex align="baseline" gap="12px" mb="10px" wrap="wrap">
          <Text as="h1" fontSize="17px" fontWeight="600">
            Report, edition {report.edition}
          </Text>
          <Box flex="1" />
          <Saved story={story} report={report} />
        </Flex>
        {story.error != null && (
          <Box mb="10px">
            <ProblemNote error={story.error} />
          </Box>
        )}
        <ClashNote story={story} />
        <Text color="ink3" mb="10px">
          Lumenar makes each text from the measurements and shows it in grey. Type to replace it.
        </Text>
        <ReportText
          wording={report.headline}
          label="Headline"
          text={edit.headline}
          onText={(headline) => change((old) => ({ ...old, headline }))}
          onConfirm={() => confirm("headline")}
          onFocus={() => setFocus({ selector: ".lede", at: 0 })}
        />
        <ReportText
          wording={report.standfirst}
          label="Summary"
          text={edit.standfirst}
          onText={(standfirst) => change((old) => ({ ...old, standfirst }))}
          onConfirm={() => confirm("standfirst")}
          onFocus={() => setFocus({ selector: ".lede", at: 0 })}
        />
        <FindingList
          findings={report.findings}
          edit={edit}
          change={change}
          confirm={confirm}
          chosenKey={chosenKey}
          choose={choose}
          writing={writing}
          write={write}
        />
        <Box as="section" aria-label="Purposes" mb="24px">
          <Text as="h2" fontWeight="600" fontSize="15px" mb="4px">
            Which mode for what
          </Text>
          {report.purposes.map((p, i) => {
            const key = purposeOf(p.name);
            return (
              <ReportText
                key={p.name}
                wording={p}
                label={p.title}
                text={edit.purposes[key] ?? null}
                onText={(text) => purpose(key, text)}
                onConfirm={() => confirm(p.name)}
                onFocus={() => setFocus({ selector: ".choices tbody tr", at: i })}
              />
            );
          })}
        </Box>
        <Claims report={report} edit={edit} change={change} />
        <Paragraphs report={report} edit={edit} change={change} />
        <NotTested report={report} edit={edit} change={change} />
        <Imprint report={report} edit={edit} change={change} />
        <Publish review={review} gaps={verdict.data?.gaps ?? []} ready={story.save} />
      </Box>
      <Box borderLeft="1px solid" borderColor="lineSoft" minH={{ base: "600px", lg: "0" }} overflow="hidden">
        <Preview review={review} edit={edit} width={width} onWidth={setWidth} focus={focus} />
      </Box>
    </Grid>
  );
}

/** The report of a review: the editor's texts, and beside them the page that they make. */
export default function ReportView() {
  const review = Number(useParams().review);
  const board = useBoard(review);
  const report = useQuery(reportQuery(review));
  const name = board.data?.review.name;
  useTitle(name && `Report: ${name}`);
  if (report.error)
    return (
      <Box p="16px">
        <Failed error={report.error} />
        <A to={`/review/${review}`} textDecoration="underline">
          To the Board
        </A>
      </Box>
    );
  if (!report.data) return <Quiet>Making the report from all readings</Quiet>;
  return <Editor key={review} review={review} report={report.data} />;
}
