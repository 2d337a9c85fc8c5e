import { Box, Table, Text } from "@chakra-ui/react";
import type { MenuRead } from "../../api/client";
import { Mono } from "../../kit/basics";
import { Tick } from "../../kit/toggles";

const SCOPES: Record<string, string> = { unit: "all modes", signal: "this signal", mode: "this mode" };

/** What was understood of a pasted menu, before the review starts. Guessed roles are confirmed with a tick. */
export function MenuPreview({ menu, off, onOff }: { menu: MenuRead; off: string[]; onOff: (paths: string[]) => void }) {
  const guesses = menu.controls.filter((c) => c.guessed);
  const one = (count: number, what: string) => `${count} ${what}${count === 1 ? "" : "s"}`;
  return (
    <Box data-testid="menu-read">
      <Text mt="6px" mb="8px">
        {one(menu.modes.length, "picture mode")} and {one(menu.controls.length, "control")} were understood
        {Object.entries(menu.tables).map(
          ([head, count]) => `, and the table ${head.replaceAll(" > ", " › ")} with ${count} values`,
        )}
        .{guesses.length > 0 && " What a control sets was guessed from its name: take the tick off where it is wrong."}
      </Text>
      <Box maxH="46vh" overflow="auto" tabIndex={0} role="region" aria-label="Preview of the menu">
        <Table.Root fontSize="12.5px" w="100%" aria-label="Picture modes">
          <Table.Body>
            {menu.modes.map((m) => (
              <Table.Row key={`${m.name} ${m.signal}`}>
                <Table.Cell pl="0" fontWeight="600">
                  {m.name}
                </Table.Cell>
                <Table.Cell>{m.signal.toUpperCase()}</Table.Cell>
                <Table.Cell color="ink2">{m.target_title}</Table.Cell>
                <Table.Cell color="ink2">
                  {[
                    ...Object.entries(m.own).map(([path, value]) => `${path.split(" > ").at(-1)} ${value}`),
                    ...(m.locks > 0 ? [`${one(m.locks, "control")} locked`] : []),
                  ].join(", ")}
                </Table.Cell>
              </Table.Row>
            ))}
          </Table.Body>
        </Table.Root>
        <Table.Root fontSize="12.5px" w="100%" mt="10px" aria-label="Controls">
          <Table.Header>
            <Table.Row>
              <Table.ColumnHeader pl="0">Control</Table.ColumnHeader>
              <Table.ColumnHeader>Values</Table.ColumnHeader>
              <Table.ColumnHeader>Default</Table.ColumnHeader>
              <Table.ColumnHeader>Applies to</Table.ColumnHeader>
              <Table.ColumnHeader>Sets</Table.ColumnHeader>
            </Table.Row>
          </Table.Header>
          <Table.Body>
            {menu.controls.map((c) => (
              <Table.Row key={c.path} data-testid="control-read">
                <Table.Cell pl="0">{c.path.replaceAll(" > ", " › ")}</Table.Cell>
                <Table.Cell>
                  <Mono>{c.values}</Mono>
                </Table.Cell>
                <Table.Cell>
                  <Mono>{c.default ?? "–"}</Mono>
                </Table.Cell>
                <Table.Cell color="ink2">{c.place === "unit" ? (SCOPES[c.scope] ?? "not known") : c.place}</Table.Cell>
                <Table.Cell>
                  {c.role}
                  {c.guessed && (
                    <Tick
                      checked={!off.includes(c.path)}
                      onChange={(on) => onOff(on ? off.filter((p) => p !== c.path) : [...off, c.path])}
                      name={`${c.path} sets ${c.guessed}`}
                    >
                      {c.guessed}
                    </Tick>
                  )}
                </Table.Cell>
              </Table.Row>
            ))}
          </Table.Body>
        </Table.Root>
        {menu.rules.map((rule) => (
          <Text key={rule} fontSize="12.5px" color="ink2" mt="4px">
            {rule.replaceAll(" > ", " › ")}
          </Text>
        ))}
      </Box>
    </Box>
  );
}
