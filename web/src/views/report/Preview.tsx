import { Box, Flex, Text } from "@chakra-ui/react";
import { useEffect, useRef, useState } from "react";
import { api, got } from "../../api/client";
import { type Mode, useMode } from "../../app/mode";
import { Key, ProblemNote, QuietButton } from "../../kit/basics";
import type { Edit } from "./edit";

export const WIDTHS = { desktop: 1280, phone: 390, paper: 794 } as const;
export type Width = keyof typeof WIDTHS;
const NAMES: Record<Width, string> = { desktop: "Desktop", phone: "Phone", paper: "Paper" };
export const nextWidth = (w: Width): Width => (w === "desktop" ? "phone" : w === "phone" ? "paper" : "desktop");

/** A page is made again so long after the last key. */
const PAUSE_MS = 60;

/** The page as it looks on paper, or in the light that the application is set to, whatever the system prefers. */
function dressed(html: string, width: Width, mode: Mode): string {
  const dark = mode === "dim" && width !== "paper" ? "@media all" : "@media not all";
  const lit = html.replaceAll("@media (prefers-color-scheme: dark)", dark);
  const scheme = dark === "@media all" ? "dark" : "light";
  const told = lit.replace("color-scheme: light dark", `color-scheme: ${scheme}`);
  return width === "paper" ? told.replaceAll("@media print", "@media screen") : told;
}

/** The page of an edit, newest last; an answer that was overtaken is not shown. */
function usePage(review: number, edit: Edit) {
  const [page, setPage] = useState<string | null>(null);
  const [error, setError] = useState<unknown>(null);
  const text = JSON.stringify(edit);
  useEffect(() => {
    const left = new AbortController();
    const timer = setTimeout(async () => {
      try {
        const html = await got<string>(
          api.POST("/api/v1/reviews/{review}/report/preview", {
            params: { path: { review } },
            body: JSON.parse(text),
            parseAs: "text",
            signal: left.signal,
          }) as Promise<{ data?: string; response: Response }>,
        );
        setPage(html);
        setError(null);
      } catch (e) {
        if (!left.signal.aborted) setError(e);
      }
    }, PAUSE_MS);
    return () => {
      clearTimeout(timer);
      left.abort();
    };
  }, [review, text]);
  return { page, error };
}

interface Props {
  review: number;
  edit: Edit;
  width: Width;
  onWidth: (w: Width) => void;
  /** The part of the page to show, by a selector and a place among what it finds. */
  focus: { selector: string; at: number } | null;
}

/** The page as it will be published, without scripts and apart from the application. */
export function Preview({ review, edit, width, onWidth, focus }: Props) {
  const { page, error } = usePage(review, edit);
  const frame = useRef<HTMLIFrameElement>(null);
  const pane = useRef<HTMLDivElement>(null);
  const [room, setRoom] = useState({ w: 0, h: 0 });
  const [loaded, setLoaded] = useState<string | null>(null);
  const { mode } = useMode();
  const shown = page && dressed(page, width, mode);
  // Only the first page of a width is loaded; later ones replace its body, so that nothing flickers or scrolls.
  const [first, setFirst] = useState<{ width: Width; html: string } | null>(null);
  useEffect(() => {
    if (shown && first?.width !== width) setFirst({ width, html: shown });
  }, [shown, first, width]);
  useEffect(() => {
    if (!shown || loaded !== width) return;
    const made = new DOMParser().parseFromString(shown, "text/html");
    for (const part of ["style", "main"]) {
      const inside = frame.current?.contentDocument?.querySelector(part);
      const next = made.querySelector(part);
      if (inside && next && next.innerHTML !== inside.innerHTML) inside.replaceWith(next);
    }
  }, [shown, loaded, width]);
  useEffect(() => {
    if (!focus || loaded !== width) return;
    const found = frame.current?.contentDocument?.querySelectorAll(focus.selector)[focus.at];
    found?.scrollIntoView({ block: "center" });
  }, [focus, loaded, width]);
  useEffect(() => {
    if (!pane.current) return;
    const watch = new ResizeObserver(([entry]) => {
      if (entry) setRoom({ w: entry.contentRect.width, h: entry.contentRect.height });
    });
    watch.observe(pane.current);
    return () => watch.disconnect();
  }, []);
  const scale = room.w > 0 ? Math.min(1, room.w / WIDTHS[width]) : 1;
  return (
    <Flex direction="column" h="100%" minH="0">
      <Flex gap="6px" align="center" px="12px" py="8px" borderBottom="1px solid" borderColor="lineSoft">
        <Text color="ink2">Preview</Text>
        <Box flex="1" />
        <Flex role="group" aria-label="Width of the preview" gap="4px" align="center">
          {(Object.keys(WIDTHS) as Width[]).map((w) => (
            <QuietButton
              key={w}
              h="26px"
              aria-pressed={w === width}
              onClick={() => onWidth(w)}
              bg={w === width ? "raised" : undefined}
            >
              {NAMES[w]}
            </QuietButton>
          ))}
          <Key>v</Key>
        </Flex>
      </Flex>
      {error != null && (
        <Box p="10px">
          <ProblemNote error={error} />
        </Box>
      )}
      <Box ref={pane} flex="1" minH="0" overflow="hidden" bg="ground" data-testid="preview">
        {first && (
          <iframe
            key={first.width}
            ref={frame}
            title="The report as it will be published"
            sandbox="allow-same-origin"
            srcDoc={first.html}
            onLoad={() => setLoaded(first.width)}
            style={{
              width: WIDTHS[width],
              height: room.h / scale,
              border: 0,
              transform: `scale(${scale})`,
              transformOrigin: "0 0",
              marginLeft: Math.max(0, (room.w - WIDTHS[width]) / 2),
            }}
          />
        )}
        {!first && !error && (
          <Text color="ink3" p="14px" role="status">
            Making the page from all readings
          </Text>
        )}
      </Box>
    </Flex>
  );
}
