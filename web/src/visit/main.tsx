/** The page for visitors of a served model: one place that takes pictures, and answers. */
import "../page/page.css";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { followTheme } from "../page/theme";
import { linkOf } from "./asking";
import { Visit } from "./Visit";

followTheme();
const link = linkOf(location.pathname, location.hash);
const root = document.getElementById("root");
if (root && link) {
  createRoot(root).render(
    <StrictMode>
      <Visit {...link} />
    </StrictMode>,
  );
} else if (root) root.textContent = "This link is not whole. Copy all of it, with what stands behind the #.";
