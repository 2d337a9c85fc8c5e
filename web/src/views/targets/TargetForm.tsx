import { useState } from "react";
import { useAct } from "../../api/act";
import { api, from, got, type Sent, type TargetView } from "../../api/client";
import { decimal } from "../../kit/decimal";
import { FormPanel, problemAt } from "../../kit/FormPanel";
import { Choice, Field } from "../../kit/field";
import { Labelled } from "../../kit/Labelled";

const BLACKS = { measured: "as measured", zero: "none" };
const CURVES = { power: "a power", srgb: "sRGB", bt1886: "BT.1886" };
const POINTS = ["red", "green", "blue", "white"] as const;
const PLACES = ["title", ...POINTS, "gamma", "curve", "black", "luminance"];
type Point = (typeof POINTS)[number];
type Definition = NonNullable<TargetView["definition"]>;
/** A definition as typed. */
type Typed = Omit<Definition, Point | "gamma" | "luminance"> & Record<Point | "gamma" | "luminance", string>;

const typed = (d: Definition, title: string): Typed => ({
  ...d,
  ...(Object.fromEntries(POINTS.map((p) => [p, d[p].map((v) => String(v)).join(" ")])) as Record<Point, string>),
  title,
  gamma: String(d.gamma ?? 2.2),
  luminance: d.luminance == null ? "" : String(d.luminance),
});

/** Two numbers as people write them: parted by spaces or semicolons, decimals with a point or a comma. */
export function pair(text: string): [number, number] | null {
  const parts = text.includes(".") ? text.split(/[\s;,]+/) : text.split(/[\s;]+/);
  const numbers = parts.filter(Boolean).map((p) => decimal(p) ?? Number.NaN);
  const [x, y] = numbers;
  return numbers.length === 2 && x !== undefined && y !== undefined && numbers.every(Number.isFinite) ? [x, y] : null;
}

/** Define a target, from nothing but an example, or define it anew. */
export function TargetForm({ like, id, done }: { like: TargetView; id: number | null; done: () => void }) {
  const given = like.definition as Definition;
  const [v, setV] = useState(() => typed(given, id === null ? "" : like.title));
  const [wrong, setWrong] = useState<Point | null>(null);
  const save = useAct(
    (body: Sent<"NewTarget">) =>
      id === null
        ? got(api.POST("/api/v1/targets", { body }))
        : got(api.PUT("/api/v1/targets/{target}", { params: { path: { target: id } }, body, ...from(like.version) })),
    ["targets", "board", "setup", "plates", "compare", "look", "verdict", "menu"],
  );
  const error = problemAt(save.error);
  const set = (w: Partial<Typed>) => setV((old) => ({ ...old, ...w }));
  const submit = () => {
    const [red, green, blue, white] = POINTS.map((p) => pair(v[p]));
    setWrong(POINTS.find((p) => pair(v[p]) === null) ?? null);
    if (!red || !green || !blue || !white) return;
    save.mutate(
      {
        ...v,
        red,
        green,
        blue,
        white,
        gamma: decimal(v.gamma) ?? Number.NaN,
        luminance: decimal(v.luminance),
      },
      { onSuccess: done },
    );
  };
  return (
    <FormPanel
      title={id === null ? "A target of your own" : `Edit ${like.title}`}
      columns="repeat(auto-fill, minmax(170px, 1fr))"
      error={save.error}
      places={PLACES}
      save={id === null ? "Save the target" : "Save"}
      saving={save.isPending}
      onSave={submit}
      onLeave={done}
      testid="target-form"
    >
      <Labelled label="Title" error={error("title")} width="100%">
        <Field
          w="100%"
          fontFamily="body"
          autoFocus
          maxLength={60}
          value={v.title}
          onChange={(e) => set({ title: e.target.value })}
        />
      </Labelled>
      {POINTS.map((p) => (
        <Labelled
          key={p}
          label={`${p[0]?.toUpperCase()}${p.slice(1)}, x and y`}
          error={wrong === p ? "Two numbers, such as 0.64 0.33." : error(p)}
          width="100%"
        >
          <Field w="100%" value={v[p]} onChange={(e) => set({ [p]: e.target.value })} />
        </Labelled>
      ))}
      <Labelled label="Curve" error={error("curve")}>
        <Choice value={v.curve} choices={CURVES} onChange={(curve) => set({ curve })} />
      </Labelled>
      {v.curve === "power" && (
        <Labelled label="Gamma" error={error("gamma")} width="100%">
          <Field w="80px" inputMode="decimal" value={v.gamma} onChange={(e) => set({ gamma: e.target.value })} />
        </Labelled>
      )}
      {v.curve !== "bt1886" && (
        <Labelled label="Black" hint="the display's own black is part of the curve, or none" error={error("black")}>
          <Choice value={v.black} choices={BLACKS} onChange={(black) => set({ black })} />
        </Labelled>
      )}
      <Labelled label="White, cd/m²" hint="empty: any will do" error={error("luminance")} width="100%">
        <Field w="100px" inputMode="decimal" value={v.luminance} onChange={(e) => set({ luminance: e.target.value })} />
      </Labelled>
    </FormPanel>
  );
}
