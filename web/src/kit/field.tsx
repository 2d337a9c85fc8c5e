import { Input, NativeSelect, type NativeSelectFieldProps } from "@chakra-ui/react";
import { type ChangeEvent, type ComponentProps, forwardRef, useRef } from "react";

/** What a person types in; its look stands in the theme. */
export const Field = Input;

/**
 * A list to choose from. Once somebody has chosen with the pointer it gives the focus back to the page, so that the next key
 * acts there; who chooses with the keyboard stays in it.
 */
export const Select = forwardRef<HTMLSelectElement, NativeSelectFieldProps & { disabled?: boolean }>(function Select(
  { onChange, onKeyDown, disabled, h, w, ...props },
  ref,
) {
  const typed = useRef(0);
  return (
    <NativeSelect.Root disabled={disabled} w={w}>
      <NativeSelect.Field
        ref={ref}
        onKeyDown={(event) => {
          typed.current = event.timeStamp;
          onKeyDown?.(event);
        }}
        onChange={(event: ChangeEvent<HTMLSelectElement>) => {
          onChange?.(event);
          if (event.timeStamp - typed.current > 400) event.currentTarget.blur();
        }}
        h={h}
        {...props}
      />
      <NativeSelect.Indicator />
    </NativeSelect.Root>
  );
});

interface ChoiceProps<T extends string> extends Omit<ComponentProps<typeof Select>, "value" | "onChange"> {
  value: T;
  /** What there is to choose from, and how it is called. */
  choices: Record<T, string>;
  onChange: (v: T) => void;
}

/** A list of things that have a key each. */
export function Choice<T extends string>({ value, choices, onChange, ...props }: ChoiceProps<T>) {
  const keys = Object.keys(choices) as T[];
  return (
    <Select value={value} onChange={(e) => onChange(keys[e.target.selectedIndex] ?? value)} {...props}>
      {keys.map((k) => (
        <option key={k} value={k}>
          {choices[k]}
        </option>
      ))}
    </Select>
  );
}
