import { Field } from "@chakra-ui/react";
import type { ReactNode } from "react";

interface Props {
  label: string;
  /** What else is to be known, under it. */
  hint?: string;
  /** What is wrong with what stands in it. */
  error?: string;
  width?: string;
  children: ReactNode;
}

/** A field under its label. */
export function Labelled({ label, hint, error, width, children }: Props) {
  return (
    <Field.Root w={width ?? "auto"} gap="3px" invalid={error !== undefined}>
      <Field.Label fontSize="12px" fontWeight="450" color="ink2">
        {label}
      </Field.Label>
      {children}
      {hint && !error && (
        <Field.HelperText fontSize="11.5px" color="ink3" mt="0">
          {hint}
        </Field.HelperText>
      )}
      {error && (
        <Field.ErrorText color="lamp" fontSize="12px" mt="0">
          {error}
        </Field.ErrorText>
      )}
    </Field.Root>
  );
}
