/** The recordings that are kept, asked for anew when the server says that they changed; and which of them is shown. */

import { useEffect, useState } from "react";
import { create } from "zustand";
import { fetchRecordings, type KeptRecording } from "../api/client";
import { useLive } from "../live/store";

type Kept = { shown: string };
const useKept = create<Kept>(() => ({ shown: "" }));

export const useShown = () => useKept((kept) => kept.shown);
export const show = (shown: string) => useKept.setState({ shown });

/** What is fetched from a path of the recordings' interface, and why it could not be; fetched again when `again` changes. */
export function useFetched<Kind>(
  path: string,
  again: unknown,
): { found: Kind | null; trouble: string } {
  const [found, setFound] = useState<Kind | null>(null);
  const [trouble, setTrouble] = useState("");
  useEffect(() => {
    let isWanted = true;
    fetchRecordings<Kind>(path).then(
      (reply) => {
        if (!isWanted) return;
        setFound(reply);
        setTrouble("");
      },
      (error: Error) => isWanted && setTrouble(error.message),
    );
    return () => {
      isWanted = false;
    };
  }, [path, again]);
  return { found, trouble };
}

export function useKeptRecordings() {
  const changes = useLive((live) => live.state?.record.changes);
  const runningId = useLive((live) => live.recording?.id ?? "");
  const { found, trouble } = useFetched<KeptRecording[]>("", changes);
  return { kept: found?.filter(({ id }) => id !== runningId) ?? null, trouble };
}
