/** Addresses by which other programs on this computer hear a feed or an input: made, shown once, taken back. */

import { Copy, Trash2 } from "lucide-react";
import { useEffect, useId, useState } from "react";
import { FEED_LABELS } from "../api/facts.gen";
import { type AddressInfo, makeAddress, takeAddressBack } from "../api/client";
import { FEEDS } from "../live/reach";
import { say, tell, useLive } from "../live/store";
import { Button } from "../ui/Button";
import { Choice } from "../ui/Choice";
import { IconButton } from "../ui/IconButton";
import { Panel } from "../ui/Panel";
import { Select } from "../ui/Select";
import { ADDRESS_FORMS, addressOf, type AddressForm, lastUsed } from "./addresses";
import { t } from "../text/text";

export function AddressesView() {
  const addresses = useLive((live) => live.state?.addresses) ?? [];
  return (
    <div className="flex flex-col gap-3.5 min-[1180px]:flex-row">
      <MakePanel />
      <Panel className="flex-1">
        <h3 className="font-semibold">{t("wiring.addressesInUse")}</h3>
        {addresses.length ? (
          <Table addresses={addresses} />
        ) : (
          <p className="mt-1 text-[13px] text-quiet">{t("wiring.noAddressesYet")}</p>
        )}
      </Panel>
    </div>
  );
}

type Made = { id: string; token: string; name: string };

function MakePanel() {
  const inputs = useLive((live) => live.state?.rig.inputs) ?? [];
  const stillThere = useLive((live) => live.state?.addresses) ?? [];
  const [name, setName] = useState("");
  const [what, setWhat] = useState("viewers");
  const [form, setForm] = useState<AddressForm>("page");
  const [made, setMade] = useState<Made | null>(null);
  const nameId = useId();
  const shown = made && stillThere.some(({ id }) => id === made.id) ? made : null;
  const known =
    inputs.some(({ id }) => what === `input:${id}`) || FEEDS.some((one) => one === what);
  const heard = known ? what : "viewers";

  async function make() {
    try {
      setMade({ ...(await makeAddress(name.trim())), name: name.trim() });
      setName("");
    } catch (error) {
      tell(error);
    }
  }

  return (
    <Panel className="min-[1180px]:w-[520px]">
      <h3 className="font-semibold">{t("wiring.sendSoundToAnotherProgram")}</h3>
      <p className="mb-3 text-[13px] text-quiet">{t("wiring.aBroadcastingProgramAPlayer")}</p>
      <form
        className="flex flex-wrap items-end gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          if (name.trim()) void make();
        }}
      >
        <label htmlFor={nameId} className="flex flex-1 flex-col gap-1 text-[13px]">
          {t("wiring.nameOfTheProgram")}
          <input
            id={nameId}
            value={name}
            maxLength={60}
            placeholder={t("wiring.broadcastingProgram")}
            onChange={(event) => setName(event.target.value)}
            className="rounded-md bg-raised px-2.5 py-1.5 placeholder:text-quiet"
          />
        </label>
        <Button type="submit" look="main" disabled={!name.trim()}>
          {t("wiring.createAddress")}
        </Button>
      </form>
      {shown && (
        <section aria-label={t("wiring.newAddress")} className="mt-4 border-t border-line pt-3">
          <p role="status" className="mb-2 text-[13px] font-semibold">
            {t("wiring.addressForNameCopyIt", { name: shown.name })}
          </p>
          <div className="flex flex-wrap items-center gap-2">
            <Select
              label={t("wiring.source")}
              value={heard}
              groups={[
                {
                  label: t("wiring.feeds"),
                  options: FEEDS.map((feed) => ({ value: feed, label: FEED_LABELS[feed] })),
                },
                {
                  label: t("wiring.inputsProcessed"),
                  options: inputs.map(({ id, name }) => ({ value: `input:${id}`, label: name })),
                },
              ]}
              onChange={setWhat}
              className="w-40"
            />
            <Choice
              label={t("wiring.format")}
              value={form}
              options={ADDRESS_FORMS}
              onChange={setForm}
            />
          </div>
          <Address text={addressOf(location.origin, heard, form, shown.token)} />
          <p className="mt-1 text-xs text-quiet">{t("wiring.oneAddressOpensEveryFeed")}</p>
        </section>
      )}
    </Panel>
  );
}

function Address({ text }: { text: string }) {
  const [isCopied, setCopied] = useState("");
  return (
    <div className="mt-2 flex items-center gap-1">
      <input
        readOnly
        aria-label={t("wiring.address")}
        value={text}
        onFocus={(event) => event.target.select()}
        className="figures min-w-0 flex-1 rounded-md bg-ground px-2.5 py-1.5 text-xs"
      />
      <IconButton
        label={t("wiring.copyTheAddress")}
        onClick={() => {
          void navigator.clipboard.writeText(text).then(
            () => setCopied(text),
            () => say("trouble", t("wiring.theBrowserDidNotCopy")),
          );
        }}
      >
        <Copy size={14} />
      </IconButton>
      <span role="status" className="w-14 text-xs text-quiet">
        {isCopied === text ? t("wiring.copied") : ""}
      </span>
    </div>
  );
}

/** Seconds since 1970, taken again now and then. */
function useNow(): number {
  const [now, setNow] = useState(() => Date.now() / 1000);
  useEffect(() => {
    const again = window.setInterval(() => setNow(Date.now() / 1000), 30_000);
    return () => window.clearInterval(again);
  }, []);
  return now;
}

function Table({ addresses }: { addresses: AddressInfo[] }) {
  const now = useNow();
  return (
    <table aria-label={t("wiring.addresses")} className="mt-1 w-full text-[13px]">
      <thead>
        <tr className="text-left text-xs text-quiet">
          <th scope="col" className="font-normal">
            {t("wiring.program")}
          </th>
          <th scope="col" className="font-normal">
            {t("wiring.lastUsed")}
          </th>
          <th scope="col" className="font-normal">
            {t("wiring.now")}
          </th>
          <th scope="col">
            <span className="sr-only">{t("wiring.revoke")}</span>
          </th>
        </tr>
      </thead>
      <tbody>
        {addresses.map((one) => (
          <tr key={one.id} className="border-t border-line">
            <th scope="row" className="max-w-56 truncate py-1.5 text-left font-semibold">
              {one.name}
            </th>
            <td>{lastUsed(one.used_at, now)}</td>
            <td className={one.hearing ? "font-semibold text-voice-strong" : "text-quiet"}>
              {one.hearing ? t("wiring.listening", { count: one.hearing }) : "–"}
            </td>
            <td className="text-right">
              <IconButton
                label={t("wiring.revokeName", { name: one.name })}
                onClick={() => void takeBack(one)}
              >
                <Trash2 size={14} />
              </IconButton>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

async function takeBack(one: AddressInfo) {
  try {
    await takeAddressBack(one.id);
    say("news", t("wiring.nameCanNoLongerListen", { name: one.name }));
  } catch (error) {
    tell(error);
  }
}
