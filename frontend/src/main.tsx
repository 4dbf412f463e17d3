import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { App } from "./App";
import "./index.css";
import { connect } from "./live/link";

const root = document.getElementById("root");
if (root) {
  connect();
  createRoot(root).render(
    <StrictMode>
      <App />
    </StrictMode>,
  );
}
