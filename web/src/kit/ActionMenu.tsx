import { Menu, Portal } from "@chakra-ui/react";
import type { ReactNode } from "react";

export interface Action {
  value: string;
  words: string;
}

interface Props {
  /** Names the menu for who cannot see where it stands. */
  label: string;
  groups: { title?: string; actions: Action[] }[];
  onAct: (value: string) => void;
  /** The button that opens it. */
  children: ReactNode;
  open?: boolean;
  onOpen?: (open: boolean) => void;
}

/** A button with things to do; none of them is a state that stays chosen. */
export function ActionMenu({ label, groups, onAct, children, open, onOpen }: Props) {
  return (
    <Menu.Root
      open={open}
      onOpenChange={(e) => onOpen?.(e.open)}
      onSelect={(e) => onAct(e.value)}
      lazyMount
      unmountOnExit
      positioning={{ placement: "bottom-end" }}
    >
      <Menu.Trigger asChild>{children}</Menu.Trigger>
      <Portal>
        <Menu.Positioner>
          <Menu.Content
            aria-label={label}
            bg="raised"
            color="ink"
            border="1px solid"
            borderColor="control"
            borderRadius="6px"
            p="4px"
            minW="180px"
            maxH="60vh"
            overflowY="auto"
            boxShadow="none"
            fontSize="13px"
          >
            {groups
              .filter((g) => g.actions.length > 0)
              .map((group) => (
                <Menu.ItemGroup key={group.title ?? ""}>
                  {group.title && (
                    <Menu.ItemGroupLabel color="ink3" fontSize="11px" px="8px" py="4px" fontWeight="400">
                      {group.title}
                    </Menu.ItemGroupLabel>
                  )}
                  {group.actions.map((a) => (
                    <Menu.Item
                      key={a.value}
                      value={a.value}
                      px="8px"
                      minH="26px"
                      borderRadius="4px"
                      cursor="pointer"
                      _highlighted={{ bg: "lampSoft", color: "ink" }}
                    >
                      {a.words}
                    </Menu.Item>
                  ))}
                </Menu.ItemGroup>
              ))}
          </Menu.Content>
        </Menu.Positioner>
      </Portal>
    </Menu.Root>
  );
}
