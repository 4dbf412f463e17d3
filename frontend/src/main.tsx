import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { App } from "./App";
import "./index.css";
import { connect } from "./live/link";
import { sayWhetherShown } from "./live/shown";

const root = document.getElementById("root");
if (root) {
  connect();
  sayWhetherShown();
  createRoot(root).render(
    <StrictMode>
      <App />
    </StrictMode>,
  );
}
