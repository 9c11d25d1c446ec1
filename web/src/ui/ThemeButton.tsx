// Between the light and the dark look.

import { MoonStar, Sun } from "lucide-react";
import { IconButton } from "./controls";
import { switchTheme, useTheme } from "./theme";

export function ThemeButton() {
  const dark = useTheme((state) => state.dark);
  return (
    <IconButton tip={dark ? "Light paper" : "Dark ink"} onClick={switchTheme}>
      {dark ? <Sun size={15} /> : <MoonStar size={15} />}
    </IconButton>
  );
}
