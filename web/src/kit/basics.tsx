import { Alert, Box, type BoxProps, Button, type ButtonProps, EmptyState, Flex, Kbd, Text } from "@chakra-ui/react";
import type { ReactNode } from "react";
import { ApiError } from "../api/client";

/** A key as it stands on the keyboard. */
export function Key({ children, on = false }: { children: ReactNode; on?: boolean }) {
  return <Kbd {...(on ? { color: "onLamp", borderColor: "onLamp/40" } : {})}>{children}</Kbd>;
}

/** The one button for the thing to do next. */
export const LampButton = (props: ButtonProps) => <Button h="32px" px="13px" {...props} />;

/** Every other button. */
export const QuietButton = (props: ButtonProps) => <Button variant="outline" {...props} />;

export const Mono = (props: BoxProps) => (
  <Box as="span" fontFamily="mono" fontVariantNumeric="tabular-nums" {...props} />
);

/** What went wrong, what is safe, what to do next. */
export function ProblemNote({ error, children }: { error: unknown; children?: ReactNode }) {
  const detail = error instanceof ApiError ? error.problem.detail : String(error);
  const title = error instanceof ApiError ? error.problem.title : "Error";
  return (
    <Alert.Root role="alert">
      <Alert.Content>
        <Alert.Title>{title}</Alert.Title>
        <Alert.Description>{detail}</Alert.Description>
        {children}
      </Alert.Content>
    </Alert.Root>
  );
}

/** A centred remark for an empty view. */
export function Quiet({ children }: { children: ReactNode }) {
  return (
    <EmptyState.Root h="100%">
      <EmptyState.Content>{children}</EmptyState.Content>
    </EmptyState.Root>
  );
}

/** A view that cannot be shown: what went wrong stands in its place. */
export const Failed = ({ error }: { error: unknown }) => (
  <Quiet>
    <ProblemNote error={error} />
  </Quiet>
);

/** The head of a view of a review: its title, what belongs beside it, and the way back. */
export const ViewHead = ({ title, children }: { title: string; children: ReactNode }) => (
  <Flex align="center" gap="8px 16px" px="16px" py="9px" borderBottom="1px solid" borderColor="lineSoft" wrap="wrap">
    <Text as="h1" fontSize="15px" fontWeight="600">
      {title}
    </Text>
    {children}
  </Flex>
);

/** A small × that takes something off. */
export const TakeOff = (props: ButtonProps) => (
  <Button size="2xs" variant="plain" {...props}>
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
