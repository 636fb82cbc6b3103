/** Every version of the rules, to go back to. */
import { useState } from "react";
import { useAreaVersions } from "../../api/areaQueries";
import type { AreaRules } from "../../api/client";
import { usePlace } from "../../app/context";
import { areaFrom, areaWords, ruleFor } from "../../domain/area";
import { moment } from "../../domain/words";
import { Button } from "../../parts/Button";
import { Sheet } from "../../parts/Sheet";
import { Failed, Reading } from "../../parts/States";

export function Versions({ rules, onTake }: { rules: AreaRules; onTake: (version: AreaRules) => void }) {
  const { project } = usePlace();
  const [open, setOpen] = useState(false);
  const versions = useAreaVersions(project.id, open);
  if (!rules.number) return null;
  return (
    <>
      <Button title="Every version of the rules" onClick={() => setOpen(true)}>
        Version {rules.number}
      </Button>
      <Sheet title="Versions of the rules" open={open} onClose={() => setOpen(false)}>
        {versions.error && <Failed error={versions.error} onRetry={() => void versions.refetch()} />}
        {versions.isLoading && <Reading what="the versions" />}
        <ul className="max-h-[420px] overflow-y-auto">
          {versions.data?.map((version) => (
            <li key={version.number} className="flex items-baseline gap-3 border-t border-hairline py-1.5">
              <span className="w-6 font-mono">{version.number}</span>
              <span className="min-w-0 flex-1">
                {version.rules.length === 0 && "no rule"}
                {version.rules.map((rule) => (
                  <span key={rule.sift} className="block">
                    {ruleFor(rule.sift)}: {areaWords(areaFrom(rule.area))}
                  </span>
                ))}
                <span className="block text-sm text-quiet">
                  a picture from elsewhere: {areaWords(areaFrom(version.fresh))}
                  {version.created_at && `; ${moment(version.created_at)}`}
                </span>
              </span>
              {version.number === rules.number ? (
                <span className="text-sm text-quiet">holds now</span>
              ) : (
                <Button
                  onClick={() => {
                    setOpen(false);
                    onTake(version);
                  }}
                >
                  Take it again
                </Button>
              )}
            </li>
          ))}
        </ul>
      </Sheet>
    </>
  );
}
