import { Combobox, Portal, useFilter, useListCollection } from "@chakra-ui/react";
import { useEffect, useMemo, useState } from "react";

export interface Findable {
  value: string;
  words: string;
  /** What it stands under. */
  group: string;
}

interface Props {
  label: string;
  items: Findable[];
  onChoose: (value: string) => void;
  testid: string;
  disabled?: boolean;
}

/** Something to add, found among many by a few letters of its name or of what it stands under. */
export function Finder({ label, items, onChoose, testid, disabled }: Props) {
  const { contains } = useFilter({ sensitivity: "base" });
  const [typed, setTyped] = useState("");
  const { collection, filter, set } = useListCollection<Findable>({
    initialItems: items,
    itemToString: (i) => `${i.group} ${i.words}`,
    itemToValue: (i) => i.value,
    groupBy: (i) => i.group,
    filter: (text, wanted) => wanted.split(" ").every((w) => contains(text, w)),
  });
  useEffect(() => set(items), [items, set]);
  const groups = useMemo(() => collection.group(), [collection]);
  return (
    <Combobox.Root
      collection={collection}
      value={[]}
      inputValue={typed}
      onInputValueChange={(d) => {
        if (d.reason === "item-select") return;
        setTyped(d.inputValue);
        filter(d.inputValue);
      }}
      onValueChange={(d) => {
        const [chosen] = d.value;
        setTyped("");
        filter("");
        if (chosen) onChoose(chosen);
      }}
      selectionBehavior="clear"
      inputBehavior="autohighlight"
      openOnClick
      lazyMount
      unmountOnExit
      disabled={disabled}
      w="260px"
    >
      <Combobox.Control>
        <Combobox.Input aria-label={label} placeholder={`${label}…`} data-testid={testid} />
        <Combobox.IndicatorGroup>
          <Combobox.Trigger aria-label={`All to choose from: ${label}`} />
        </Combobox.IndicatorGroup>
      </Combobox.Control>
      <Portal>
        <Combobox.Positioner>
          <Combobox.Content aria-label={label}>
            <Combobox.Empty>Nothing is called so.</Combobox.Empty>
            {groups.map(([group, found]) => (
              <Combobox.ItemGroup key={group}>
                <Combobox.ItemGroupLabel>{group}</Combobox.ItemGroupLabel>
                {found.map((item) => (
                  <Combobox.Item key={item.value} item={item}>
                    {item.words}
                  </Combobox.Item>
                ))}
              </Combobox.ItemGroup>
            ))}
          </Combobox.Content>
        </Combobox.Positioner>
      </Portal>
    </Combobox.Root>
  );
}
