import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import "../index.css";
import { wantedFrom } from "./address";
import { ListenPage } from "./ListenPage";

const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <ListenPage wanted={wantedFrom(location.pathname, location.search)} />
    </StrictMode>,
  );
}
