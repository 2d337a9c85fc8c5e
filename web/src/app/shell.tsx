import { Box, chakra, Flex } from "@chakra-ui/react";
import { useEffect, useRef, useState } from "react";
import { generatePath, Link, Outlet, useLocation, useMatch } from "react-router";
import { useEvents } from "../api/events";
import { Key, Mono, Unseen } from "../kit/basics";
import { BenchBar } from "../views/bench/BenchBar";
import { Milestones } from "../views/bench/Milestones";
import { useReviewOf } from "../views/board/queries";
import "./bars.css";
import { Help } from "./help";
import { EVERYWHERE } from "./keymap";
import { useKeys } from "./keys";
import { useMode } from "./mode";
import { VIEWS } from "./views";

const A = chakra(Link);

function Logo() {
  return (
    <A to="/" display="flex" alignItems="center" gap="9px" fontWeight="600" aria-label="Lumenar, to the Shelf">
      <svg width="30" height="16" aria-hidden="true">
        <chakra.line x1={1} x2={29} y1={8} y2={8} stroke="ink2" />
        <chakra.rect x={12} y={6} width={16} height={4} fill="lamp" opacity={0.35} />
        <chakra.rect x={20} y={1} width={3} height={14} fill="lamp" />
      </svg>
      Lumenar
    </A>
  );
}

function ReviewCrumb({ id }: { id: number }) {
  const review = useReviewOf(id).data;
  if (!review) return null;
  return (
    <>
      <Box as="span" color="ink3">
        /
      </Box>
      <A to={`/review/${id}`} color="ink" fontWeight="500">
        {review.name}
      </A>
      <Box as="span" color="ink2" minW="0" overflow="hidden" textOverflow="ellipsis">
        {review.samples > 1
          ? `${review.samples} samples`
          : `sample ${review.sample} · ${review.firmware ? `firmware ${review.firmware}` : "firmware not recorded"}`}
      </Box>
    </>
  );
}

function Tab({ to, children }: { to: string; children: string }) {
  const here = useLocation().pathname;
  const on = here === to;
  return (
    <A
      to={to}
      color={on ? "ink" : "ink2"}
      fontWeight={on ? 500 : 400}
      aria-current={on ? "page" : undefined}
      _hover={{ color: "ink" }}
    >
      {children}
    </A>
  );
}

function IconButton({ label, onClick, children }: { label: string; onClick: () => void; children: string }) {
  return (
    <chakra.button
      type="button"
      aria-label={label}
      title={label}
      onClick={onClick}
      cursor="pointer"
      minW="24px"
      minH="24px"
    >
      <Key>{children}</Key>
    </chakra.button>
  );
}

/** The frame of every view: a slim top bar, the view, the bench bar. */
export function Shell() {
  const connected = useEvents();
  const { mode, dark, toggle, dimAll } = useMode();
  const [help, setHelp] = useState(false);
  const match = useMatch("/review/:review/*");
  const id = match?.params.review ? Number(match.params.review) : null;
  useKeys(EVERYWHERE, { help: () => setHelp((h) => !h), theme: toggle, dark: dimAll });
  const main = useRef<HTMLElement>(null);
  const here = useLocation().pathname;
  // Each view begins with the focus on it, so that keys scroll it and a screen reader reads on from there.
  // biome-ignore lint/correctness/useExhaustiveDependencies: the address decides
  useEffect(() => {
    if (!document.activeElement || document.activeElement === document.body)
      main.current?.focus({ preventScroll: true });
    else if (!main.current?.contains(document.activeElement)) main.current?.focus({ preventScroll: true });
  }, [here]);
  return (
    <Flex direction="column" h="100dvh" minW="300px">
      <A
        to="#main"
        position="absolute"
        left="-999px"
        _focus={{ left: "8px", top: "6px" }}
        zIndex={10}
        bg="raised"
        px="10px"
        py="6px"
        onClick={(e) => {
          e.preventDefault();
          main.current?.focus();
        }}
      >
        To the content
      </A>
      <Flex
        as="header"
        className="bar"
        minH="44px"
        flex="none"
        align="center"
        gap="4px 14px"
        px="16px"
        py="4px"
        wrap={{ base: "wrap", xl: "nowrap" }}
        whiteSpace="nowrap"
        borderBottom="1px solid"
        borderColor="lineSoft"
        opacity={dark ? 0.06 : 1}
      >
        <Logo />
        <Flex as="nav" aria-label="Where am I" gap="7px" minW={0} whiteSpace="nowrap" overflow="hidden">
          <A to="/" color="ink2" _hover={{ color: "ink" }}>
            Shelf
          </A>
          {id !== null && <ReviewCrumb id={id} />}
        </Flex>
        <Box flex="1" />
        {id !== null && (
          <>
            <Flex as="nav" aria-label="This review" gap="4px 11px" wrap="wrap" flex="none" maxW="100%">
              {VIEWS.filter((v) => v.bar === "review").map((v) => (
                <Tab key={v.route} to={generatePath(`/${v.route}`, { review: String(id) })}>
                  {v.title}
                </Tab>
              ))}
            </Flex>
            <Box w="1px" alignSelf="stretch" my="4px" bg="line" aria-hidden />
          </>
        )}
        <Flex as="nav" aria-label="Everything else" gap="4px 11px" wrap="wrap" flex="none" maxW="100%">
          {VIEWS.filter((v) => v.bar === "everywhere").map((v) => (
            <Tab key={v.route} to={`/${v.route}`}>
              {v.title}
            </Tab>
          ))}
        </Flex>
        <IconButton label={mode === "dim" ? "Daylight theme (n)" : "Dim room theme (n)"} onClick={toggle}>
          {mode === "dim" ? "day" : "dim"}
        </IconButton>
        <IconButton label="Keys (?)" onClick={() => setHelp(true)}>
          ?
        </IconButton>
      </Flex>
      {dark && (
        <Mono
          position="fixed"
          left="0"
          right="0"
          top="12px"
          textAlign="center"
          color="ink3"
          opacity={0.45}
          fontSize="12px"
        >
          near black · d brings it back
        </Mono>
      )}
      {!connected && (
        <Box role="status" bg="lampSoft" color="ink" px="16px" py="6px" borderBottom="1px solid" borderColor="lamp">
          The server doesn't answer. Nothing is lost. This page continues when the server is back.
        </Box>
      )}
      <Box
        as="main"
        id="main"
        ref={main}
        tabIndex={-1}
        flex="1"
        minH={0}
        overflow="auto"
        opacity={dark ? 0.06 : 1}
        position="relative"
      >
        <Outlet />
      </Box>
      <BenchBar />
      <Unseen role="status" aria-live="polite" data-testid="milestones">
        <Milestones />
      </Unseen>
      {help && <Help close={() => setHelp(false)} />}
    </Flex>
  );
}
