import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import "../index.css";
import { connect } from "../live/link";
import { SmallPage } from "./SmallPage";

const root = document.getElementById("root");
if (root) {
  connect();
  createRoot(root).render(
    <StrictMode>
      <SmallPage />
    </StrictMode>,
  );
}
