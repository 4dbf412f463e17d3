import { useRef, useState } from "react";
import { removeSoundFile, replaySoundFile, uploadSoundFile } from "../api/client";
import { setSetting } from "../live/link";
import { useLevels } from "../live/readings";
import { closeMicrophone, openMicrophone, useSound } from "../live/sound";
import { say, useLive } from "../live/store";
import { Button } from "../ui/Button";
import { Choice } from "../ui/Choice";
import { Panel } from "../ui/Panel";
import { Setting, useSetting } from "../ui/Setting";
import { Toggle } from "../ui/Toggle";
import { decibels } from "../units/format";
import { GainPanel } from "./GainPanel";

const SOURCES = [
  { value: "attic", label: "The attic (stand-in)" },
  { value: "browser", label: "This browser's microphone" },
  { value: "file", label: "A sound file" },
];
const PERFORMANCES = [
  { value: "silent", label: "be silent" },
  { value: "murmur", label: "murmur" },
  { value: "talk", label: "talk" },
  { value: "laugh", label: "laugh out loud" },
  { value: "type", label: "type" },
];

export function WiringPage() {
  const source = useLive((live) => live.state?.rig.microphone.source) ?? "attic";
  return (
    <>
      <div className="mb-2 flex items-baseline gap-3">
        <h2 className="text-[19px] font-semibold">Wiring</h2>
        <p className="text-quiet">where the voice comes from</p>
      </div>
      <div className="flex gap-3.5">
        <div className="flex min-w-0 flex-1 flex-col gap-3.5">
          <Panel>
            <h3 className="mb-2 font-semibold">Microphone</h3>
            <Choice
              label="Microphone"
              value={source}
              options={SOURCES}
              onChange={(value) => setSetting("microphone.source", value)}
            />
            <div className="mt-4">
              {source === "attic" && <AtticSource />}
              {source === "browser" && <BrowserSource />}
              {source === "file" && <FileSource />}
            </div>
          </Panel>
          <GainPanel />
        </div>
        <div className="flex w-[300px] flex-col gap-3.5">
          <Arriving />
          <Buffer />
        </div>
      </div>
    </>
  );
}

/** What comes from the chosen device, whatever it is. */
function Arriving() {
  const levels = useLevels();
  const microphone = levels?.stations.microphone;
  const device = levels?.microphone ?? {};
  return (
    <Panel>
      <h3 className="font-semibold">What arrives</h3>
      <dl className="mt-1 grid grid-cols-[1fr_auto] gap-y-0.5 text-[13px]">
        <dt className="text-quiet">Speech peaks</dt>
        <dd className="figures">{decibels(microphone?.peaks_dbfs)} dBFS</dd>
        <dt className="text-quiet">Highest peak</dt>
        <dd className="figures">{decibels(microphone?.highest_peak_dbfs)} dBFS</dd>
        <dt className="text-quiet">Noise in pauses</dt>
        <dd className="figures">{decibels(microphone?.noise_floor_dbfs)} dBFS</dd>
        {typeof device.rate_hz === "number" && (
          <>
            <dt className="text-quiet">Rate, clock</dt>
            <dd className="figures">
              {device.rate_hz} Hz, {String(device.clock_ppm)} ppm
            </dd>
            <dt className="text-quiet">Waiting, dropouts</dt>
            <dd className="figures">
              {String(device.fill_ms)} ms, {String(device.dropouts)}
            </dd>
          </>
        )}
      </dl>
      {device.state === "waiting" && (
        <p className="mt-1 text-[13px] text-over-strong">▲ nothing yet</p>
      )}
      {device.state === "ended" && <p className="mt-1 text-[13px]">The file has ended.</p>}
      {levels && levels.bad_samples > 0 && (
        <p className="mt-1 text-[13px] text-over-strong">
          ▲ {levels.bad_samples} samples were no numbers and were replaced by silence.
        </p>
      )}
    </Panel>
  );
}

function Buffer() {
  const setting = useSetting("block_frames");
  if (!setting) return null;
  return (
    <Panel>
      <h3 className="font-semibold">Buffer</h3>
      <p className="mb-2 text-[13px] text-quiet">{setting.info.help}</p>
      <Choice
        label="Buffer in frames"
        value={String(setting.value)}
        options={setting.info.options.map((frames) => ({
          value: String(frames),
          label: String(frames),
        }))}
        onChange={(frames) => setSetting("block_frames", Number(frames))}
      />
    </Panel>
  );
}

function AtticSource() {
  const performance = useLive((live) => live.state?.rig.microphone.performance) ?? "talk";
  return (
    <div className="max-w-[460px]">
      <p className="mb-3 text-[13px] text-quiet">
        A made-up storyteller in an attic with rain on the skylight, a dehumidifier and a loud
        keyboard. Ask her to:
      </p>
      <Choice
        label="The stand-in should"
        value={performance}
        options={PERFORMANCES}
        onChange={(value) => setSetting("microphone.performance", value)}
      />
      <div className="mt-3">
        <Setting path="microphone.preamp_gain_db" />
      </div>
    </div>
  );
}

function BrowserSource() {
  const isOpen = useSound((sound) => sound.isMicrophoneOpen);
  return (
    <div className="max-w-[460px]">
      <p className="mb-3 text-[13px] text-quiet">
        The browser's own echo cancellation, noise suppression and automatic gain are switched off,
        so that your voice is treated once, here. Wear headphones if you listen.
      </p>
      {isOpen ? (
        <Button aria-pressed onClick={closeMicrophone}>
          Close the microphone
        </Button>
      ) : (
        <Button look="main" onClick={() => void openMicrophone()}>
          Open this browser's microphone
        </Button>
      )}
    </div>
  );
}

function FileSource() {
  const files = useLive((live) => live.state?.sound_files) ?? [];
  const chosen = useLive((live) => live.state?.rig.microphone.file_id);
  const [progress, setProgress] = useState<number | null>(null);
  const picker = useRef<HTMLInputElement>(null);

  const give = async (file: File | undefined) => {
    if (!file) return;
    setProgress(0);
    try {
      const kept = await uploadSoundFile(file, setProgress);
      setSetting("microphone.file_id", kept.id);
    } catch (error) {
      say("trouble", error instanceof Error ? error.message : "The file was refused.");
    }
    setProgress(null);
  };

  return (
    <div
      onDragOver={(event) => event.preventDefault()}
      onDrop={(event) => {
        event.preventDefault();
        void give(event.dataTransfer.files[0]);
      }}
    >
      <div className="flex items-center gap-3">
        <Button look="main" disabled={progress !== null} onClick={() => picker.current?.click()}>
          Choose a file …
        </Button>
        <span className="text-[13px] text-quiet">
          WAV, FLAC or OGG, up to 30 minutes, or drop one here
        </span>
        <input
          ref={picker}
          type="file"
          aria-label="Sound file"
          accept=".wav,.flac,.ogg,.oga,audio/*"
          className="sr-only"
          tabIndex={-1}
          onChange={(event) => {
            void give(event.target.files?.[0]);
            event.target.value = "";
          }}
        />
      </div>
      {progress !== null && (
        <div className="mt-3 flex items-center gap-3 text-[13px]">
          <progress className="w-60 accent-voice" value={progress} aria-label="Upload" />
          {progress < 1 ? "sending …" : "reading and checking …"}
        </div>
      )}
      <div className="mt-3 max-w-[240px]">
        <Toggle path="microphone.is_looped" />
      </div>
      {files.length === 0 ? (
        <p className="mt-2 text-[13px] text-quiet">No file yet.</p>
      ) : (
        <ul aria-label="Sound files" className="mt-2">
          {files.map((file) => (
            <li key={file.id} className="flex items-center gap-3 border-t border-line py-1.5">
              <Button
                look={file.id === chosen ? "main" : "plain"}
                aria-pressed={file.id === chosen}
                className="py-1!"
                onClick={() => setSetting("microphone.file_id", file.id)}
              >
                {file.id === chosen ? "Playing" : "Play"}
              </Button>
              <span className="min-w-0 flex-1 truncate text-[13px]">{file.name}</span>
              <span className="figures text-xs text-quiet">
                {file.duration_s.toFixed(1)} s · {file.rate_hz} Hz ·{" "}
                {file.channels === 1 ? "mono" : "stereo"}
              </span>
              {file.id === chosen && (
                <Button className="py-1!" onClick={() => void replaySoundFile()}>
                  From the start
                </Button>
              )}
              <Button
                className="py-1!"
                aria-label={`Remove ${file.name}`}
                onClick={() =>
                  removeSoundFile(file.id).catch((error: Error) => say("trouble", error.message))
                }
              >
                Remove
              </Button>
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}
