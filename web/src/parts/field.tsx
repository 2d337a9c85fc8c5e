import { chakra } from "@chakra-ui/react";

/** How fields look that a person chooses or types in. */
export const field = {
  bg: "sheet",
  color: "ink",
  border: "1px solid",
  borderColor: "line",
  borderRadius: "5px",
  h: "30px",
  px: "8px",
  fontSize: "13px",
} as const;

export const Select = chakra("select", { base: field });
export const Field = chakra("input", { base: { ...field, fontFamily: "mono" } });
