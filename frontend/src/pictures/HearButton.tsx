import { hearAs, listen, useSound } from "../live/sound";
import { say } from "../live/store";
import { Button } from "../ui/Button";
import { t } from "../text/text";

type Props = { point: string; label: string; title: string };

/** Listens to one point of the chain alone; pressed again, to what you hear. Nobody else hears it. */
export function HearButton({ point, label, title }: Props) {
  const isOn = useSound(({ hear, isListening }) => isListening && hear === point);
  const press = () => {
    hearAs(isOn ? "you" : point);
    if (!isOn) {
      listen().catch(() => say("trouble", t("pictures.thisBrowserCannotPlaySoundUse")));
    }
  };
  return (
    <Button look={isOn ? "main" : "plain"} aria-pressed={isOn} title={title} onClick={press}>
      {label}
    </Button>
  );
}
