import { Select } from "./field";

interface Props {
  /** What is chosen among, the newest first: a number and words each. */
  of: readonly { id: number; words: string }[];
  /** The one that is shown, null where a new one is begun. */
  shown: number | null;
  label: string;
  /** What the choice of a new one says. */
  fresh: string;
  w: string;
  onChoose: (id: number | null) => void;
}

/** Those of before, to go back to, and a new one. Nothing where there is none. */
export function Past({ of, shown, label, fresh, w, onChoose }: Props) {
  if (of.length === 0) return null;
  return (
    <Select
      value={shown === null ? "" : String(shown)}
      aria-label={label}
      w={w}
      onChange={(e) => onChoose(e.target.value ? Number(e.target.value) : null)}
    >
      <option value="">{fresh}</option>
      {of.map((x) => (
        <option key={x.id} value={x.id}>
          {x.id}: {x.words}
        </option>
      ))}
    </Select>
  );
}
