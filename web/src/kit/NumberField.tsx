import { NumberInput } from "@chakra-ui/react";
import { type ClipboardEvent, type FormEvent, useState } from "react";

interface Props {
  /** What stands in it: null where nothing does. */
  value: number | null;
  /** Told what was typed: null where nothing is, NaN where it is no number (yet), which is refused when it is sent. */
  onChange: (v: number | null) => void;
  min?: number;
  max?: number;
  step?: number;
  id?: string;
  name?: string;
  placeholder?: string;
  disabled?: boolean;
  w?: string;
  h?: string;
  fontSize?: string;
  textAlign?: "right";
}

const PLAIN: Intl.NumberFormatOptions = { useGrouping: false, maximumFractionDigits: 12 };

const numberOf = (text: string) => (text.trim() === "" ? null : Number(text));

/** A decimal comma is a point here: taken for a mark between thousands, 0,3 would silently be 3. */
function pointed(event: FormEvent<HTMLInputElement> | ClipboardEvent<HTMLInputElement>, text: string | null) {
  if (!text?.includes(",")) return;
  event.preventDefault();
  document.execCommand("insertText", false, text.replaceAll(",", "."));
}

/** A number, by typing or by the arrow keys in steps. What lies outside its range is not corrected behind the person's back:
 * it is sent, and refused with what is wrong. */
export function NumberField({ value, onChange, min, max, step, disabled, w, id, name, ...input }: Props) {
  const [text, setText] = useState("");
  return (
    <NumberInput.Root
      // What is typed stays as it is typed: "0." is on its way to 0.5.
      value={Object.is(numberOf(text), value) ? text : value === null ? "" : String(value)}
      onValueChange={(d) => {
        setText(d.value);
        onChange(numberOf(d.value));
      }}
      min={min}
      max={max}
      step={step}
      disabled={disabled}
      formatOptions={PLAIN}
      locale="en"
      clampValueOnBlur={false}
      w={w}
    >
      <NumberInput.Input
        id={id}
        aria-label={name}
        w="100%"
        onBeforeInput={(e) => pointed(e, (e.nativeEvent as InputEvent).data)}
        onPaste={(e) => pointed(e, e.clipboardData.getData("text"))}
        {...input}
      />
    </NumberInput.Root>
  );
}
