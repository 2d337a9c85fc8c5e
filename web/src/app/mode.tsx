import { createContext, type ReactNode, useCallback, useContext, useEffect, useMemo, useState } from "react";

export type Mode = "dim" | "day";

const Context = createContext<{ mode: Mode; dark: boolean; toggle: () => void; dimAll: () => void }>({
  mode: "dim",
  dark: false,
  toggle: () => undefined,
  dimAll: () => undefined,
});

const KEY = "lumenar-theme";

/** Dim room or daylight, remembered in this browser; and the near-black state used while measuring. */
export function ThemeProvider({ children }: { children: ReactNode }) {
  const [mode, setMode] = useState<Mode>(() => (localStorage.getItem(KEY) === "day" ? "day" : "dim"));
  const [dark, setDark] = useState(false);
  useEffect(() => {
    document.documentElement.classList.toggle("dark", mode === "dim");
    document.documentElement.classList.toggle("light", mode === "day");
    localStorage.setItem(KEY, mode);
  }, [mode]);
  const toggle = useCallback(() => setMode((m) => (m === "dim" ? "day" : "dim")), []);
  const dimAll = useCallback(() => setDark((d) => !d), []);
  const value = useMemo(() => ({ mode, dark, toggle, dimAll }), [mode, dark, toggle, dimAll]);
  return <Context.Provider value={value}>{children}</Context.Provider>;
}

export const useMode = () => useContext(Context);
