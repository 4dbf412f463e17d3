/** Plays what was said around a moment, in this page alone: from the evening's recording, or from the last minutes on air. */

import {
  fetchRecordings,
  type RecordedPart,
  type RecordingDetail,
  type WatchEvent,
} from "../api/client";
import { hear, LAST_MINUTES, openRecording, play, seek } from "../live/recordingPlayer";
import { say, tell, useLive } from "../live/store";
import { t } from "../text/text";

const LEAD_S = 4;

export type HeardAs = WatchEvent["heard_as"];
export type HearAt = (atS: number, way?: HeardAs) => void;

/** Of a broadcast with these recordings, each with the second at which it begins; `isLive` while it goes on. */
export async function hearMoment(
  recordings: RecordedPart[],
  isLive: boolean,
  atS: number,
  way: HeardAs = "was",
) {
  const { watch, recording: running } = useLive.getState();
  try {
    const found = recordings.findLast(({ at_s }) => at_s <= atS) ?? recordings[0];
    if (found) {
      const length =
        running?.id === found.id
          ? running.seconds
          : (await fetchRecordings<RecordingDetail>(`/${found.id}`)).seconds;
      const at = atS - found.at_s - LEAD_S;
      if (at >= -LEAD_S && at <= length) {
        start(found.id, length, at, way);
        return;
      }
    }
    if (watch && isLive) {
      start(LAST_MINUTES, watch.seconds, atS - LEAD_S, way);
      return;
    }
    say("news", found ? t("watch.thatTimeWasNotRecorded") : t("watch.nothingWasRecordedTurnOn"));
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
