import { Checkbox, Switch } from "@chakra-ui/react";
import type { ReactNode } from "react";

interface Props {
  checked: boolean;
  onChange: (on: boolean) => void;
  /** What stands beside it, if anything does: else it needs a name. */
  children?: ReactNode;
  /** What it is called where what stands beside it says too little. */
  name?: string;
  title?: string;
  disabled?: boolean;
}

/** One of several things to mark, or a statement that is true or not. */
export function Tick({ checked, onChange, children, name, ...props }: Props) {
  return (
    <Checkbox.Root checked={checked} onCheckedChange={(d) => onChange(d.checked === true)} {...props}>
      <Checkbox.HiddenInput aria-label={name} />
      <Checkbox.Control />
      {children && <Checkbox.Label>{children}</Checkbox.Label>}
    </Checkbox.Root>
  );
}

/** What is on or off from this moment. */
export function Toggle({ checked, onChange, children, name, ...props }: Props) {
  return (
    <Switch.Root checked={checked} onCheckedChange={(d) => onChange(d.checked)} {...props}>
      <Switch.HiddenInput aria-label={name} />
      <Switch.Control />
      <Switch.Label>{children}</Switch.Label>
    </Switch.Root>
  );
}
