import { chakra } from "@chakra-ui/react";
import { type ReactNode, useEffect, useRef } from "react";

const Native = chakra("dialog");

interface Props {
  label: string;
  width: string;
  onClose: () => void;
  /** Asked before it is shut by Escape or a button, unless what was in it is saved. */
  mayClose?: () => boolean;
  /** What stands in it; `close` shuts it as Escape does, `close(true)` without asking. */
  children: (close: (sure?: boolean) => void) => ReactNode;
}

/** A dialog over the page, open as long as it is there. */
export function Dialog({ label, width, onClose, mayClose, children }: Props) {
  const ref = useRef<HTMLDialogElement>(null);
  useEffect(() => {
    ref.current?.showModal();
  }, []);
  return (
    <Native
      ref={ref}
      onClose={onClose}
      onCancel={(event) => {
        if (mayClose && !mayClose()) event.preventDefault();
      }}
      aria-label={label}
      m="auto"
      bg="raised"
      color="ink"
      border="1px solid"
      borderColor="line"
      borderRadius="8px"
      p="20px 24px"
      w={width}
      outline="none"
      css={{ "&::backdrop": { background: "rgb(0 0 0 / .5)" } }}
    >
      {children((sure) => (sure || !mayClose || mayClose()) && ref.current?.close())}
    </Native>
  );
}
