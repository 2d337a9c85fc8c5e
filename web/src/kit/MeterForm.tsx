import { useState } from "react";
import type { Sent } from "../api/client";
import { Select } from "./field";
import { useForms } from "./forms";

const KEPT = "lumenar-form";
export type Form = Sent<"AttemptReadings">["form"];

/** In which form the meter before this browser shows its readings; what was chosen last is remembered. */
export function useMeterForm(): [Form, (form: Form) => void] {
  const [form, setForm] = useState<Form>(() => {
    const kept = localStorage.getItem(KEPT);
    return kept === "Yxy" || kept === "Yuv" ? kept : "XYZ";
  });
  const choose = (chosen: Form) => {
    setForm(chosen);
    localStorage.setItem(KEPT, chosen);
  };
  return [form, choose];
}

/** What a form is called. */
export function useFormTitle(form: Form): string {
  return useForms().data?.find((f) => f.key === form)?.title ?? form;
}

/** The choice of it, among those that will do. */
export function MeterForm({
  value,
  onChange,
  among,
  h,
}: {
  value: Form;
  onChange: (form: Form) => void;
  among: (key: string) => boolean;
  h?: string;
}) {
  const forms = useForms();
  return (
    <Select value={value} aria-label="What the meter shows" h={h} onChange={(e) => onChange(e.target.value as Form)}>
      {forms.data
        ?.filter((f) => among(f.key))
        .map((f) => (
          <option key={f.key} value={f.key}>
            {f.title}
          </option>
        ))}
    </Select>
  );
}
