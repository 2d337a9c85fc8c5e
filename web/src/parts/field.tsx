import { chakra } from "@chakra-ui/react";
import { type ChangeEvent, type ComponentProps, forwardRef, useRef } from "react";

/** How fields look that a person chooses or types in. */
export const field = {
  bg: "sheet",
  color: "ink",
  border: "1px solid",
  borderColor: "control",
  borderRadius: "5px",
  h: "30px",
  px: "8px",
  fontSize: "13px",
} as const;

const Native = chakra("select", { base: { ...field, maxW: "100%" } });
export const Field = chakra("input", { base: { ...field, fontFamily: "mono" } });

/**
 * A list to choose from. Once somebody has chosen with the pointer it gives the focus back to the page, so that the next key
 * acts there; who chooses with the keyboard stays in it.
 */
export const Select = forwardRef<HTMLSelectElement, ComponentProps<typeof Native>>(function Select(
  { onChange, onKeyDown, ...props },
  ref,
) {
  const typed = useRef(0);
  return (
    <Native
      ref={ref}
      onKeyDown={(event) => {
        typed.current = event.timeStamp;
        onKeyDown?.(event);
      }}
      onChange={(event: ChangeEvent<HTMLSelectElement>) => {
        onChange?.(event);
        if (event.timeStamp - typed.current > 400) event.currentTarget.blur();
      }}
      {...props}
    />
  );
});
