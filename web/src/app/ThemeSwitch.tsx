import { useState } from "react";
import { Button } from "../parts/Button";
import { isDark, switchTheme } from "./theme";

export function ThemeSwitch() {
  const [dark, setDark] = useState(isDark());
  return (
    <Button
      kind="bare"
      aria-pressed={dark}
      onClick={() => {
        switchTheme();
        setDark(isDark());
      }}
    >
      {dark ? "Light" : "Dark"}
    </Button>
  );
}
