import { useRef, useState } from "react";
import {
  type DeviceInfo,
  type Rig,
  removeSoundFile,
  replaySoundFile,
  uploadSoundFile,
} from "../api/client";
import { setSetting } from "../live/link";
import { closeMicrophone, openMicrophone, useSound } from "../live/sound";
import { tell, useLive } from "../live/store";
import { Button } from "../ui/Button";
import { Choice } from "../ui/Choice";
import { Progress } from "../ui/Progress";
import { Setting } from "../ui/Setting";
import { Toggle } from "../ui/Toggle";
import { t } from "../text/text";

const PERFORMANCES: { value: Rig["devices"]["attic"]["performance"]; label: string }[] = [
  { value: "silent", label: t("wiring.beSilent") },
  { value: "murmur", label: t("wiring.murmur") },
  { value: "talk", label: t("wiring.talk") },
  { value: "laugh", label: t("wiring.laughOutLoud") },
  { value: "type", label: t("wiring.type") },
];

/** The knobs of a device itself, as far as they can be turned from here. */
export function DeviceKnobs({ device }: { device: DeviceInfo }) {
  switch (device.knobs) {
    case "attic":
      return <AtticKnobs />;
    case "page":
      return <BrowserKnobs />;
    case "file":
      return <FileKnobs />;
    case "player":
      return <Setting path="devices.player.volume_db" colour="var(--music)" />;
    case "call_service":
      return (
        <>
          <Toggle path="devices.call_service.is_talking" />
          <Toggle path="devices.call_service.has_gain_control" />
          <Toggle path="devices.call_service.has_suppression" />
          <Toggle path="devices.call_service.sends_back" />
        </>
      );
    default:
      return <p className="text-[13px] text-quiet">{t("wiring.thisDeviceHasNoControls")}</p>;
  }
}

function AtticKnobs() {
  const performance = useLive((live) => live.state?.rig.devices.attic.performance) ?? "talk";
  return (
    <div className="max-w-[460px]">
      <p className="mb-3 text-[13px] text-quiet">{t("wiring.aPracticeVoiceAMade")}</p>
      <Choice
        label={t("wiring.practiceVoice")}
        value={performance}
        options={PERFORMANCES}
        onChange={(value) => setSetting("devices.attic.performance", value)}
      />
      <div className="mt-3">
        <Setting path="devices.attic.preamp_gain_db" />
        <Setting path="devices.loudspeakers.leak_db" />
      </div>
    </div>
  );
}

function BrowserKnobs() {
  const isOpen = useSound((sound) => sound.isMicrophoneOpen);
  return (
    <div className="max-w-[460px]">
      <p className="mb-3 text-[13px] text-quiet">{t("wiring.theBrowserSEchoCancellation")}</p>
      {isOpen ? (
        <Button aria-pressed onClick={closeMicrophone}>
          {t("wiring.closeTheMicrophone")}
        </Button>
      ) : (
        <Button look="main" onClick={() => void openMicrophone()}>
          {t("wiring.openThisBrowserSMicrophone")}
        </Button>
      )}
    </div>
  );
}

function FileKnobs() {
  const files = useLive((live) => live.state?.sound_files) ?? [];
  const chosen = useLive((live) => live.state?.rig.devices.file.file_id);
  const [progress, setProgress] = useState<number | null>(null);
  const picker = useRef<HTMLInputElement>(null);

  const give = async (file: File | undefined) => {
    if (!file) return;
    setProgress(0);
    try {
      const kept = await uploadSoundFile(file, setProgress);
      setSetting("devices.file.file_id", kept.id);
    } catch (error) {
      tell(error);
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
          {t("wiring.chooseAFile")}
        </Button>
        <span className="text-[13px] text-quiet">{t("wiring.wavFlacOrOggUp")}</span>
        <input
          ref={picker}
          type="file"
          aria-label={t("wiring.soundFile")}
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
          <Progress label={t("wiring.upload")} share={progress} />
          {progress < 1 ? t("wiring.sending") : t("wiring.readingAndChecking")}
        </div>
      )}
      <div className="mt-3 max-w-[240px]">
        <Toggle path="devices.file.is_looped" />
      </div>
      {files.length === 0 ? (
        <p className="mt-2 text-[13px] text-quiet">{t("wiring.noFilesYet")}</p>
      ) : (
        <ul aria-label={t("wiring.soundFiles")} className="mt-2">
          {files.map((file) => (
            <li key={file.id} className="flex items-center gap-3 border-t border-line py-1.5">
              <Button
                look={file.id === chosen ? "main" : "plain"}
                aria-pressed={file.id === chosen}
                className="py-1!"
                onClick={() => setSetting("devices.file.file_id", file.id)}
              >
                {file.id === chosen ? t("wiring.playing") : t("wiring.play")}
              </Button>
              <span className="min-w-0 flex-1 truncate text-[13px]">{file.name}</span>
              <span className="figures text-xs text-quiet">{file.duration_s.toFixed(1)} s</span>
              {file.id === chosen && (
                <Button className="py-1!" onClick={() => replaySoundFile().catch(tell)}>
                  {t("wiring.fromTheStart")}
                </Button>
              )}
              <Button
                className="py-1!"
                aria-label={t("wiring.removeName", { name: file.name })}
                onClick={() => removeSoundFile(file.id).catch(tell)}
              >
                {t("wiring.remove")}
              </Button>
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}
