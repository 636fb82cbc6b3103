/** What is served and how it is asked, and the tokens of those who may ask. */
import { useState } from "react";
import { client, need, type Served, type Token } from "../../api/client";
import { useServing, useTokens } from "../../api/servingQueries";
import { usePlace } from "../../app/context";
import {
  askedWords,
  type Example,
  exampleOf,
  modelsWords,
  rateWords,
  refusedWords,
  servingWords,
} from "../../domain/served";
import { moment } from "../../domain/words";
import { Button } from "../../parts/Button";
import { Choice } from "../../parts/Choice";
import { useNotices } from "../../parts/Notices";
import { Failed, Reading } from "../../parts/States";
import { TokenSheet } from "./TokenSheet";

export function Serving() {
  const serving = useServing();
  const tokens = useTokens();
  const failed = [serving, tokens].find((query) => query.isError);
  if (failed?.error) return <Failed error={failed.error} onRetry={() => void failed.refetch()} />;
  if (!serving.data || !tokens.data) return <Reading what="what is served" />;
  return (
    <div className="min-h-0 flex-1 overflow-y-auto px-4 py-2">
      <p className="mb-3" data-testid="serving-words" role="status">
        {servingWords(serving.data)}
      </p>
      {serving.data.models.length > 0 && serving.data.address && <Asked served={serving.data} />}
      <InUse served={serving.data} />
      <Tokens tokens={tokens.data} served={serving.data} />
    </div>
  );
}

/** An example for the model at hand. */
function Asked({ served }: { served: Served }) {
  const { project } = usePlace();
  const [kind, setKind] = useState<Example>("curl");
  const [slug, setSlug] = useState<string>();
  const { models } = served;
  // Until one is chosen, one of this project: those of others are served at the same address.
  const own = models.find((one) => one.project_id === project.id);
  const model = models.find((one) => one.slug === slug) ?? own ?? models[0];
  if (!model) return null;
  const text = exampleOf(kind, served.address, model.slug);
  return (
    <section aria-label="How it is asked" className="mb-5">
      <div className="mb-1 flex flex-wrap items-center gap-3">
        <h2 className="text-lg font-semibold">How it is asked</h2>
        {served.models.length > 1 && (
          <select
            aria-label="Model"
            value={model.slug}
            onChange={(event) => setSlug(event.target.value)}
            className="rounded-control cursor-pointer border border-edge bg-surface px-1.5 py-0.5"
          >
            {served.models.map((one) => (
              <option key={one.slug} value={one.slug}>
                {one.name}, version {one.version}
              </option>
            ))}
          </select>
        )}
        <Choice
          label="By"
          hideLabel
          value={kind}
          options={[
            { value: "curl", label: "curl" },
            { value: "python", label: "Python" },
          ]}
          onChange={setKind}
        />
        <CopyButton text={text} />
      </div>
      <pre className="overflow-x-auto bg-sunken px-3 py-2 font-mono text-sm" data-testid="example">
        {text}
      </pre>
      <p className="mt-1 text-sm text-quiet">
        Several pictures go as a form, one on the web as {'{"address": …}'}. Pixels are answered by the Open
        Inference Protocol, version 2, at <span className="font-mono">/v2/models/{model.slug}/infer</span>.
        Everything is described at <span className="font-mono">/openapi.json</span>, and counted at{" "}
        <span className="font-mono">/metrics</span>.
      </p>
    </section>
  );
}

/** What was asked since the process was started. */
function InUse({ served }: { served: Served }) {
  const refused = refusedWords(served.refused);
  if (!served.figures.length && !refused) return null;
  return (
    <section aria-label="Figures of use" className="mb-5">
      <h2 className="mb-1 text-lg font-semibold">Since it was started</h2>
      {served.figures.map((one) => (
        <div
          key={`${one.model} ${one.version}`}
          className="border-t border-hairline py-1.5"
          data-testid="use"
        >
          <p>
            <b>{one.model}</b>, version {one.version}: {askedWords(one)}.
          </p>
          <ul className="flex flex-wrap gap-x-4 text-sm text-quiet">
            {Object.entries(one.answers)
              .sort(([, a], [, b]) => b - a)
              .map(([name, count]) => (
                <li key={name}>
                  {name} <span className="font-mono">{count.toLocaleString("en")}</span>
                </li>
              ))}
          </ul>
        </div>
      ))}
      {refused && <p className="border-t border-hairline py-1.5 text-quiet">{refused}</p>}
    </section>
  );
}

export function CopyButton({ text }: { text: string }) {
  const { say, fail } = useNotices();
  return (
    <Button onClick={() => navigator.clipboard.writeText(text).then(() => say("Copied."), fail)}>Copy</Button>
  );
}

function Tokens({ tokens, served }: { tokens: readonly Token[]; served: Served }) {
  const [making, setMaking] = useState(false);
  return (
    <section aria-label="Tokens">
      <div className="mb-1 flex items-center gap-3">
        <h2 className="text-lg font-semibold">Tokens</h2>
        <Button kind={tokens.length ? "plain" : "main"} onClick={() => setMaking(true)}>
          Make a token
        </Button>
      </div>
      {tokens.length ? (
        <table className="w-full border-collapse">
          <thead>
            <tr className="text-left text-sm text-quiet">
              {["for", "may ask", "how much", "until", "used last", ""].map((words) => (
                <th key={words} className="py-1 pr-4 font-normal">
                  {words}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {tokens.map((token) => (
              <TokenLine key={token.id} token={token} served={served} />
            ))}
          </tbody>
        </table>
      ) : (
        <p className="text-quiet">
          Nobody is let in yet. A token is made for each who asks: it is shown once, and taken back at any
          time.
        </p>
      )}
      {making && <TokenSheet served={served} onClose={() => setMaking(false)} />}
    </section>
  );
}

function TokenLine({ token, served }: { token: Token; served: Served }) {
  const { say, fail } = useNotices();
  const takeBack = () =>
    need(client.DELETE("/api/tokens/{token_id}", { params: { path: { token_id: token.id } } })).then(
      () => say(`The token for ${token.name} lets nobody in any more.`),
      fail,
    );
  const over = token.expires_at !== null && new Date(token.expires_at) < new Date();
  return (
    <tr className="border-t border-hairline" data-testid="token">
      <td className="py-1 pr-4 font-semibold">{token.name}</td>
      <td className="py-1 pr-4">{modelsWords(token, served.models)}</td>
      <td className="py-1 pr-4">{rateWords(token)}</td>
      <td className={`py-1 pr-4 ${over ? "text-wrong" : ""}`}>
        {token.expires_at === null ? "it is taken back" : moment(token.expires_at)}
      </td>
      <td className="py-1 pr-4">{token.used_at === null ? "never" : moment(token.used_at)}</td>
      <td className="py-1 text-right">
        <Button kind="danger" onClick={() => void takeBack()}>
          Take back
        </Button>
      </td>
    </tr>
  );
}
