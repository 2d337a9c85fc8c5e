import { Box, type BoxProps, Button, type ButtonProps, chakra, Flex, Text } from "@chakra-ui/react";
import type { ReactNode } from "react";
import { ApiError } from "../api/client";

/** A key as it stands on the keyboard. */
export function Key({ children, on = false }: { children: ReactNode; on?: boolean }) {
  return (
    <chakra.kbd
      fontFamily="mono"
      fontSize="11px"
      fontWeight="500"
      border="1px solid"
      borderColor={on ? "onLamp/40" : "line"}
      borderRadius="3px"
      px="5px"
      lineHeight="16px"
      color={on ? "onLamp" : "ink2"}
    >
      {children}
    </chakra.kbd>
  );
}

/** The one button for the thing to do next. */
export const LampButton = (props: ButtonProps) => (
  <Button
    size="sm"
    h="32px"
    px="13px"
    bg="lamp"
    color="onLamp"
    fontWeight="600"
    borderRadius="5px"
    _hover={{ opacity: 0.9 }}
    {...props}
  />
);

/** Every other button. */
export const QuietButton = (props: ButtonProps) => (
  <Button
    size="sm"
    h="30px"
    px="11px"
    bg="transparent"
    color="ink"
    fontWeight="450"
    fontSize="13px"
    border="1px solid"
    borderColor="control"
    borderRadius="5px"
    _hover={{ bg: "raised" }}
    {...props}
  />
);

export const Mono = (props: BoxProps) => (
  <Box as="span" fontFamily="mono" fontVariantNumeric="tabular-nums" {...props} />
);

/** What went wrong, what is safe, what to do next. */
export function ProblemNote({ error, children }: { error: unknown; children?: ReactNode }) {
  const detail = error instanceof ApiError ? error.problem.detail : String(error);
  const title = error instanceof ApiError ? error.problem.title : "Error";
  return (
    <Box
      role="alert"
      border="1px solid"
      borderColor="lamp"
      borderRadius="5px"
      bg="lampSoft"
      px="14px"
      py="10px"
      maxW="760px"
    >
      <Text fontWeight="600">{title}</Text>
      <Text color="ink" mt="2px">
        {detail}
      </Text>
      {children}
    </Box>
  );
}

/** A centred remark for an empty view. */
export function Quiet({ children }: { children: ReactNode }) {
  return (
    <Flex
      h="100%"
      minH="160px"
      align="center"
      justify="center"
      color="ink3"
      px="24px"
      textAlign="center"
      direction="column"
      gap="12px"
    >
      {children}
    </Flex>
  );
}

/** A small × that takes something off. */
export const TakeOff = (props: ButtonProps) => (
  <Button
    size="sm"
    h="24px"
    minW="24px"
    px="0"
    bg="transparent"
    color="ink3"
    borderRadius="4px"
    fontSize="13px"
    _hover={{ color: "ink", bg: "raised" }}
    {...props}
  >
    ×
  </Button>
);

/** Told to those who do not see the page. */
export const Unseen = (props: BoxProps) => (
  <Box position="absolute" w="1px" h="1px" overflow="hidden" clipPath="inset(50%)" whiteSpace="nowrap" {...props} />
);

/** A table that may be wider than the window: it scrolls in its own place, by the keyboard too. */
export const Wide = ({ label, children }: { label: string; children: ReactNode }) => (
  <Box overflowX="auto" role="region" aria-label={label} tabIndex={0}>
    {children}
  </Box>
);
