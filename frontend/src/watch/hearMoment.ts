/** Plays what was said around a moment, in this page alone: from the evening's recording, or from the last minutes on air. */

import { fetchRecordings, type RecordingDetail, type WatchEvent } from "../api/client";
import { hear, LAST_MINUTES, openRecording, play, seek } from "../live/recordingPlayer";
import { say, tell, useLive } from "../live/store";

const LEAD_S = 4;

export type HeardAs = WatchEvent["heard_as"];
export type HearAt = (atS: number, way?: HeardAs) => void;

/** Of an evening that began at `startedUtc`; `recording` is the one that was made of it, if any. */
export async function hearMoment(
  recording: string,
  startedUtc: string,
  atS: number,
  way: HeardAs = "was",
) {
  const { watch, recording: running } = useLive.getState();
  try {
    if (recording) {
      const one = await fetchRecordings<RecordingDetail>(`/${recording}`);
      // It may have begun at another time than the evening.
      const offset = (new Date(one.started_utc).getTime() - new Date(startedUtc).getTime()) / 1000;
      const length = running?.id === recording ? running.seconds : one.seconds;
      const at = atS - offset - LEAD_S;
      if (at >= -LEAD_S && at <= length) {
        start(recording, length, at, way);
        return;
      }
    }
    if (watch?.started_utc === startedUtc && watch.stage === "on_air") {
      start(LAST_MINUTES, watch.seconds, atS - LEAD_S, way);
      return;
    }
    say(
      "news",
      recording
        ? "That moment was not recorded."
        : "Nothing was recorded of it. Switch on “Record too” to hear moments again.",
    );
  } catch (error) {
    tell(error);
  }
}

function start(id: string, length: number, at: number, way: HeardAs) {
  openRecording(id, length);
  hear({ way, source: "", piece: null, isLooping: false });
  seek(Math.max(0, at));
  play();
}
