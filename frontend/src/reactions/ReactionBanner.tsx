import { useEffect, useRef } from "react";
import { api, got } from "../api/client";
import { useAct } from "../api/useAct";
import { call, wanted } from "../alarms/calls";
import { alike, type LiveState, useLive } from "../live/connection";
import { moment } from "../look/format";
import { Banner } from "../parts/Banner";
import { Chip } from "../parts/Button";

/** What reactions say: which, when, whether with a sound, and in words. Texts, so that they are alike where nothing has changed. */
const said = ({ status }: LiveState): string[] =>
  (status?.reactions ?? [])
    .filter((one) => one.banner)
    .map((one) => [one.id, one.last_at ?? 0, one.sound ? "sound" : "", one.banner].join("\n"));

interface Said {
  id: string;
  at: number;
  sound: boolean;
  words: string;
}

function parts(one: string): Said {
  const [id = "", at = "0", sound = "", ...words] = one.split("\n");
  return { id, at: Number(at), sound: sound !== "", words: words.join(" ") };
}

/** What reactions want people to see, on every page, until somebody has seen it. */
export function ReactionBanner() {
  const texts = useLive(said, alike);
  const { run, trouble } = useAct();
  const told = useRef(new Set<string>());
  useEffect(() => {
    for (const one of texts) if (!told.current.has(one) && parts(one).sound) call(parts(one).words);
    told.current = new Set(texts);
  }, [texts]);
  if (!texts.length) return null;
  const all = texts.map(parts);
  const see = (): void =>
    run(async () => {
      for (const key of all.map((one) => one.id))
        await got(
          api.POST("/api/reactions/{key}/seen", { params: { path: { key } }, body: { by: wanted().person } }),
        );
    });
  return (
    <Banner style={{ margin: "0 12px 10px" }}>
      {[...new Set(all.map((one) => one.words))].map((words) => (
        <p key={words}>
          {words}{" "}
          <small>
            since {moment(Math.max(...all.filter((one) => one.words === words).map((one) => one.at)) / 1000)}
          </small>
        </p>
      ))}
      {trouble && <p>{trouble}</p>}
      <Chip onPress={see}>Seen</Chip>
    </Banner>
  );
}
