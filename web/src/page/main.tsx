/** The page that is handed over: it answers by the model that lies in it, and asks nobody. */
import "./page.css";
import { createRoot } from "react-dom/client";
import type * as engineText from "../engine/engine";
import { OnePage } from "./OnePage";
import { followTheme } from "./theme";

/** The other script of the page. */
declare const engine: typeof engineText;

function text(id: string): string {
  return document.getElementById(id)?.textContent ?? "";
}

function begin(root: HTMLElement): void {
  followTheme();
  try {
    const own = new engine.Engine(JSON.parse(text("model")), engine.floatsFrom(text("weights")));
    createRoot(root).render(<OnePage engine={own} />);
  } catch (error) {
    root.textContent = `The model in this page cannot be started (${error}). Copy the file again; the browser must be of 2022 or later.`;
  }
}

const root = document.getElementById("root");
if (root) begin(root);
