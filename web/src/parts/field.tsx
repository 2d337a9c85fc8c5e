import { Input, NativeSelect, type NativeSelectFieldProps } from "@chakra-ui/react";
import { type ChangeEvent, forwardRef, useRef } from "react";

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
