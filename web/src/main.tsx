import "@fontsource-variable/archivo/wdth.css";
import "@fontsource/zilla-slab/600.css";
import "./styles.css";
import { createRoot } from "react-dom/client";
import { App } from "./app";
import { startSaving } from "./state/savers";
import { askBeforeLeaving } from "./state/turns";
import { keepFocus } from "./ui/focus";

startSaving();
askBeforeLeaving(window);
keepFocus();
const root = document.getElementById("root");
if (root) createRoot(root).render(<App />);
