import { chakra, Table, Text } from "@chakra-ui/react";
import { useEffect, useRef } from "react";
import { Link } from "react-router";
import type { Finding, MenuMap } from "../../api/client";
import { Mono, Wide } from "../../kit/basics";
import { short } from "../../kit/paths";
import { roleWords, tableWords } from "../../kit/roles";
import { differing, type Entry, heads, rules, words } from "./lines";

const A = chakra(Link);
const SCOPES: Record<string, string> = { unit: "all modes", signal: "this signal", mode: "each mode", unknown: "" };
const PLACES: Record<string, string> = { unit: "", host: "host", input: "input" };

/** What is being drawn: from which control, at which value, to which others. */
export interface Drawn {
  kind: "locks" | "resets";
  from: string;
  value: string;
  to: ReadonlySet<string>;
}

interface Props {
  map: MenuMap;
  lines: Entry[];
  cursor: number;
  /** Whether the cursor was moved, so that the focus goes with it. */
  moved: boolean;
  drawn: Drawn | null;
  onCursor: (at: number) => void;
  onOpen: (e: Entry) => void;
  onMark: (e: Entry) => void;
  onSetup: (setup: number) => void;
  /** What experiments found out, the newest first. */
  findings: Finding[];
  review: number;
}

const marked = (e: Entry, drawn: Drawn | null) => drawn !== null && e.cells.every((c) => drawn.to.has(c.path));

/** The newest of each kind of thing that was found out of a control, with its readings a click away. */
function FoundOut({ findings, paths, review }: { findings: Finding[]; paths: string[]; review: number }) {
  const own = findings.filter((f) => paths.includes(f.path));
  const news = own.filter((f, i) => own.findIndex((g) => g.sentence === f.sentence) === i).slice(0, 3);
  return news.map((f) => (
    <Text key={f.experiment} color="ink2" fontSize="11px" maxW="380px" data-testid="finding">
      <A
        to={`/review/${review}/findout?experiment=${f.experiment}`}
        textDecoration="underline dotted"
        onClick={(e) => e.stopPropagation()}
      >
        {f.sentence}
      </A>
    </Text>
  ));
}

/** The controls as a tree, setups beside them as what differs from how their mode ships. */
export function Tree({ map, lines, cursor, moved, drawn, onCursor, onOpen, onMark, onSetup, findings, review }: Props) {
  const here = useRef<HTMLTableRowElement>(null);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the focus follows the cursor
  useEffect(() => {
    if (moved) here.current?.focus();
  }, [cursor, moved]);
  const paths = lines.map((e) => e.path.split(" > "));
  const setups = map.setups.filter((s) => Object.keys(s.differs).length > 0);
  const named = ["Control", "Values", "Default", "Set for", "Locks and resets"];
  // Modes with defaults of their own, a column each.
  const modes = [...new Set(map.controls.flatMap((c) => Object.keys(c.own)))];
  return (
    <Wide label="Controls">
      <Table.Root
        role="grid"
        aria-label="Controls"
        minW={`${780 + 54 * (modes.length + setups.length)}px`}
        css={{ "& td, & th": { py: "3px", pr: "26px" }, "& th:first-of-type": { pl: "16px" } }}
      >
        <Table.Header>
          <Table.Row>
            {named.map((h) => (
              <Table.ColumnHeader key={h} scope="col">
                {h}
              </Table.ColumnHeader>
            ))}
            {modes.map((m) => (
              <Table.ColumnHeader key={m} scope="col" maxW="90px" title={`Defaults of ${m}`}>
                {m}
              </Table.ColumnHeader>
            ))}
            {setups.map((s) => (
              <Table.ColumnHeader key={s.setup} scope="col">
                <button
                  type="button"
                  onClick={() => onSetup(s.setup)}
                  title={`Settings of ${s.name}`}
                  style={{ cursor: "pointer", textDecoration: "underline dotted", minHeight: 24 }}
                >
                  {s.name}
                </button>
              </Table.ColumnHeader>
            ))}
          </Table.Row>
        </Table.Header>
        <Table.Body>
          {lines.flatMap((e, i) => [
            ...heads(paths, i).map((h) => (
              <Table.Row key={`${e.path} ${h}`}>
                <Table.Cell
                  colSpan={named.length + modes.length + setups.length}
                  fontWeight="600"
                  style={{ paddingLeft: 16 + 16 * (paths[i]?.indexOf(h) ?? 0) }}
                >
                  {h}
                </Table.Cell>
              </Table.Row>
            )),
            <Table.Row
              key={e.path}
              ref={i === cursor ? here : undefined}
              tabIndex={i === cursor ? 0 : -1}
              aria-selected={drawn ? marked(e, drawn) : i === cursor}
              onFocus={() => i !== cursor && onCursor(i)}
              onClick={() => (drawn ? onMark(e) : i === cursor ? onOpen(e) : onCursor(i))}
              cursor="pointer"
              bg={marked(e, drawn) ? "lampSoft" : i === cursor ? "sheet" : undefined}
              _hover={{ bg: "sheet" }}
              data-testid="menu-control"
              data-path={e.path}
            >
              <Table.Cell style={{ paddingLeft: 16 + 16 * ((paths[i]?.length ?? 1) - 1) }}>
                {short(e.path)}
                <Text as="span" color="ink3" fontSize="11px">
                  {e.control.role ? `  ${(e.cells.length > 1 ? tableWords : roleWords)(e.control.role)}` : ""}
                  {PLACES[e.control.place] ? `  ${PLACES[e.control.place]}` : ""}
                  {e.control.bears ? "" : "  no effect on accuracy"}
                </Text>
                <FoundOut findings={findings} paths={e.cells.map((c) => c.path)} review={review} />
                {words(e.control) && (
                  <Text color="ink3" fontSize="11px" maxW="320px">
                    {words(e.control)}
                  </Text>
                )}
              </Table.Cell>
              <Table.Cell maxW="340px">{e.values}</Table.Cell>
              <Table.Cell maxW="220px">
                <Mono>{e.default}</Mono>
              </Table.Cell>
              <Table.Cell whiteSpace="nowrap">{SCOPES[e.control.scope]}</Table.Cell>
              <Table.Cell maxW="320px">
                {drawn?.from === e.path ? (
                  <Text as="span" color="lamp">
                    {drawn.kind === "locks" ? `${drawn.value} locks …` : "resets …"}
                  </Text>
                ) : marked(e, drawn) ? (
                  <Text as="span" color="lamp">
                    {drawn?.kind === "locks" ? "locked" : "reset"}
                  </Text>
                ) : (
                  rules(e.control).join("; ")
                )}
              </Table.Cell>
              {modes.map((m) => (
                <Table.Cell key={m}>
                  <Mono>{e.cells.length === 1 ? e.control.own[m] : ""}</Mono>
                </Table.Cell>
              ))}
              {setups.map((s) => (
                <Table.Cell key={s.setup}>
                  <Mono>{differing(e, s.differs)}</Mono>
                </Table.Cell>
              ))}
            </Table.Row>,
          ])}
        </Table.Body>
      </Table.Root>
    </Wide>
  );
}
