import { Box, chakra, Flex, Grid, Input, Text } from "@chakra-ui/react";
import { lazy, type Ref, Suspense, useRef, useState } from "react";
import { Link, useNavigate } from "react-router";
import { useAct } from "../../api/act";
import { api, got, type Sent, type ShelfEntry } from "../../api/client";
import { useKeys } from "../../app/keys";
import { Key, LampButton, Mono, ProblemNote, Quiet, QuietButton } from "../../kit/basics";
import { ChooseFile } from "../../kit/ChooseFile";
import { PANELS } from "../../kit/displays";
import { Choice } from "../../kit/field";
import { NotchedRule } from "../../kit/NotchedRule";
import { judgeFor, midSentence, nextPurpose, usePurpose } from "../../kit/purpose";
import { usePurposes } from "../purposes/queries";
import { SHELF_KEYS } from "./keys";
import { useShelf, useShipped } from "./queries";

const NewDisplay = lazy(() => import("./NewDisplay"));
const A = chakra(Link);

function state(entry: ShelfEntry): string {
  if (entry.run_state) return entry.run_state === "paused" ? "run paused" : "measuring";
  if (entry.cells_measured === 0) return "not measured yet";
  if (entry.cells_measured < entry.cells) return `${entry.cells_measured} of ${entry.cells} cells measured`;
  return entry.editions ? `all measured · edition ${entry.editions} published` : "all measured · not published";
}

function Entry({ entry, purpose }: { entry: ShelfEntry; purpose: string }) {
  const best = entry.headline.find((h) => h.purpose === purpose);
  const others = entry.headline.filter((h) => h.purpose !== purpose);
  const remove = useAct(
    () => got(api.DELETE("/api/v1/reviews/{review}", { params: { path: { review: entry.id } } })),
    ["shelf"],
  );
  const item = useRef<HTMLLIElement>(null);
  const drop = () => {
    // Who deletes with the keyboard goes on with the next display, or the one before, or the heading.
    const near = item.current?.nextElementSibling ?? item.current?.previousElementSibling;
    const next = near?.querySelector<HTMLElement>("a") ?? document.querySelector<HTMLElement>("h1");
    remove.mutate(undefined, { onSuccess: () => next?.focus() });
  };
  const [asking, setAsking] = useState(false);
  return (
    <Grid
      as="li"
      ref={item as unknown as Ref<HTMLDivElement>}
      templateColumns={{ base: "1fr", md: "minmax(0, 1.8fr) minmax(0, 1fr) minmax(0, 2fr) auto" }}
      gap="6px 24px"
      alignItems="center"
      px="16px"
      py="14px"
      borderTop="1px solid"
      borderColor="lineSoft"
      position="relative"
      _hover={{ bg: "sheet" }}
      data-testid="shelf-entry"
    >
      <Box>
        <A
          to={`/review/${entry.id}`}
          fontSize="15px"
          fontWeight="600"
          _before={{ content: '""', position: "absolute", inset: 0 }}
        >
          {entry.name}
        </A>
        <Text color="ink2">
          {entry.kind ? `${entry.kind}, ${PANELS[entry.panel]}` : entry.about} · {entry.modes}{" "}
          {entry.modes === 1 ? "mode" : "modes"} ·{" "}
          {entry.samples > 1 ? `${entry.samples} samples` : `sample ${entry.sample}`} ·{" "}
          {entry.firmware ? `firmware ${entry.firmware}` : "firmware not recorded"}
        </Text>
      </Box>
      <Text color="ink2">{state(entry)}</Text>
      {best ? (
        <Box>
          <Flex align="center" gap="10px">
            <Mono fontSize="17px" fontWeight="500">
              {best.value === null ? "–" : Math.round(best.value)}
            </Mono>
            <NotchedRule points={best.value} low={best.low} high={best.high} width={96} />
          </Flex>
          <Text color="ink3" fontSize="11px">
            {best.title} · {best.mode}
            {best.shipped_mode && best.shipped_value != null
              ? `; as shipped ${Math.round(best.shipped_value)} in ${best.shipped_mode}`
              : ""}
          </Text>
          {others.length > 0 && (
            <Flex color="ink3" fontSize="11px" wrap="wrap" columnGap="10px" data-testid="other-purposes">
              {others.map((h) => (
                <chakra.span key={h.purpose} whiteSpace="nowrap" title={`${h.title}: ${h.mode}`}>
                  {midSentence(h.title)} <Mono color="ink2">{h.value == null ? "–" : Math.round(h.value)}</Mono>
                </chakra.span>
              ))}
            </Flex>
          )}
        </Box>
      ) : (
        <Box>
          <NotchedRule points={null} width={96} />
          <Text color="ink3" fontSize="11px">
            {others.length ? "no score for this purpose yet" : "no score yet"}
          </Text>
        </Box>
      )}
      <Flex gap="8px" justify="flex-end" position="relative" minW="150px">
        {entry.published && !asking && (
          <QuietButton asChild>
            <a href={`/published/${entry.published}/`}>Report</a>
          </QuietButton>
        )}
        {asking ? (
          <>
            <QuietButton borderColor="lamp" onClick={drop} autoFocus>
              Delete {entry.name} and its readings
            </QuietButton>
            <QuietButton onClick={() => setAsking(false)}>Cancel</QuietButton>
          </>
        ) : (
          <QuietButton onClick={() => setAsking(true)} color="ink3" aria-label={`Delete ${entry.name}`}>
            Delete
          </QuietButton>
        )}
      </Flex>
      {remove.error && <ProblemNote error={remove.error} />}
    </Grid>
  );
}

function NewReview() {
  const shipped = useShipped();
  const go = useNavigate();
  const [naming, setNaming] = useState(false);
  const add = useAct((body: Sent<"NewReview">) => got(api.POST("/api/v1/reviews", { body })), ["shelf"]);
  const start = (body: Sent<"NewReview">) => add.mutate(body, { onSuccess: ({ id }) => go(`/review/${id}`) });
  const read = async (file: File) => start({ name: file.name, text: await file.text() });
  return (
    <Box as="section" aria-label="New review" px="16px" py="18px" borderTop="1px solid" borderColor="line">
      <Text as="h2" fontWeight="600" mb="2px">
        New review
      </Text>
      <Text color="ink2" mb="10px">
        Add your own display and type its readings, import readings from a file, or use a simulated display.
      </Text>
      <Flex gap="8px" wrap="wrap" mb={add.error ? "12px" : 0} align="center">
        <LampButton onClick={() => setNaming(true)} h="30px">
          A display of your own…
        </LampButton>
        <QuietButton asChild>
          <Link to="/import">Readings from a file…</Link>
        </QuietButton>
        <Box flexBasis="100%" />
        <Text color="ink3">Simulated displays:</Text>
        {shipped.data?.map((unit) => (
          <QuietButton
            key={unit.file}
            onClick={() => start({ shipped: unit.file })}
            disabled={add.isPending}
            title={unit.about}
          >
            {unit.name}, {unit.kind}
          </QuietButton>
        ))}
        <ChooseFile label="Unit file" accept={[".json", "application/json"]} onFile={read} loading={add.isPending}>
          Unit file…
        </ChooseFile>
      </Flex>
      {add.error && <ProblemNote error={add.error} />}
      {naming && (
        <Suspense fallback={null}>
          <NewDisplay close={() => setNaming(false)} />
        </Suspense>
      )}
    </Box>
  );
}

/** All reviews with their state and headline figures. */
export default function Shelf() {
  const shelf = useShelf();
  const [search, setSearch] = useState("");
  const field = useRef<HTMLInputElement>(null);
  const rubric = usePurposes();
  const purpose = usePurpose();
  const purposes = rubric.data?.purposes ?? [];
  useKeys(SHELF_KEYS, {
    search: () => field.current?.focus(),
    next: () => nextPurpose(purposes, 1),
    before: () => nextPurpose(purposes, -1),
    clear: () => setSearch(""),
  });
  const words = search.toLowerCase().split(/\s+/).filter(Boolean);
  const found = shelf.data?.filter((e) => {
    const { headline } = e;
    const modes = headline.flatMap((h) => [h.mode, h.shipped_mode ?? "", h.title]);
    const firmware = e.firmware ? `firmware ${e.firmware}` : "firmware not recorded";
    const text = [
      e.name,
      e.kind,
      PANELS[e.panel],
      e.about,
      `sample ${e.sample}`,
      e.serial,
      firmware,
      state(e),
      ...modes,
    ]
      .join(" ")
      .toLowerCase();
    return words.every((w) => text.includes(w));
  });
  return (
    <Box maxW="1280px" mx="auto">
      <Flex align="center" justify="space-between" px="16px" py="12px" gap="16px" wrap="wrap">
        <Text as="h1" fontSize="18px" fontWeight="600" tabIndex={-1}>
          Shelf
        </Text>
        <Flex align="center" gap="8px" color="ink3" wrap="wrap">
          {purposes.length > 0 && (
            <>
              <Text>Scores for</Text>
              <Choice
                aria-label="Scores for"
                w="190px"
                h="30px"
                value={purposes.some((p) => p.key === purpose) ? purpose : (purposes[0]?.key ?? "")}
                choices={Object.fromEntries(purposes.map((p) => [p.key, p.title]))}
                onChange={judgeFor}
              />
              <Key>w</Key>
            </>
          )}
          <Input
            ml="10px"
            ref={field}
            value={search}
            onChange={(e) => setSearch(e.target.value)}
            placeholder="Search displays"
            aria-label="Search displays"
            size="sm"
            h="30px"
            w="240px"
            bg="sheet"
            borderColor="control"
            _placeholder={{ color: "ink3" }}
          />
          <Key>/</Key>
        </Flex>
      </Flex>
      {shelf.error && (
        <Box px="16px" pb="16px">
          <ProblemNote error={shelf.error}>
            <LampButton mt="8px" onClick={() => shelf.refetch()}>
              Try again
            </LampButton>
          </ProblemNote>
        </Box>
      )}
      {!found && !shelf.error && <Quiet>Loading the reviews</Quiet>}
      {found && (
        <Box as="ul" listStyleType="none">
          {found.map((entry) => (
            <Entry key={entry.id} entry={entry} purpose={purpose} />
          ))}
        </Box>
      )}
      {found?.length === 0 && (
        <Quiet>
          {words.length ? "No display matches. Esc clears the search." : "No reviews yet. Start one below."}
        </Quiet>
      )}
      <NewReview />
    </Box>
  );
}
