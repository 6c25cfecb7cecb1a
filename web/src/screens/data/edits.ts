/** Saving roles and changes one after the other: roles are shown at once, so that keys pressed fast are none of them lost. */
import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useRef, useState } from "react";
import type { Change, Roles, Schemas } from "../../api/client";
import { setKnown } from "../../api/known";
import { useSaveChanges, useSaveRoles } from "../../api/queries";

/** What undo goes back to: roles and changes belong together, since a change may bring or take away columns. */
export interface Edit {
  roles: Roles;
  changes: Change[];
}

type DataView = Schemas["DataView"];

const same = (one: unknown, other: unknown) => JSON.stringify(one) === JSON.stringify(other);

export function useDataEdits(caseId: number) {
  const cache = useQueryClient();
  const roles = useSaveRoles(caseId).mutateAsync;
  const changes = useSaveChanges(caseId).mutateAsync;
  const line = useRef<Promise<void>>(Promise.resolve());
  const saved = useRef<{ revision: number; roles: Roles } | null>(null);
  const [error, setError] = useState<Error | null>(null);
  const [remaking, setRemaking] = useState(false);
  const [unsaved, setUnsaved] = useState(0);

  const send = useCallback(
    async (wanted: Edit) => {
      const key = ["data", caseId];
      const held = cache.getQueryData<DataView>(key);
      if (!held) return;
      let at = saved.current ?? { revision: held.revision, roles: held.roles };
      const keep = (view: DataView) => {
        at = { revision: view.revision, roles: view.roles };
        saved.current = at;
      };
      if (!same(wanted.changes, held.changes)) keep(await changes({ revision: at.revision, changes: wanted.changes }));
      if (!same(wanted.roles, at.roles)) keep(await roles({ revision: at.revision, roles: wanted.roles }));
    },
    [cache, caseId, roles, changes],
  );

  /** `keepRoles` is false where the server says which roles follow from the changes. */
  const save = useCallback(
    (wanted: Edit, { keepRoles = true } = {}) => {
      const key = ["data", caseId];
      const held = cache.getQueryData<DataView>(key);
      const heavy = !same(wanted.changes, held?.changes);
      if (held && saved.current === null) saved.current = { revision: held.revision, roles: held.roles };
      if (held && !heavy) setKnown(cache, key, { ...held, roles: wanted.roles });
      if (heavy) setRemaking(true);
      setUnsaved((n) => n + 1);
      setError(null);
      line.current = line.current
        .then(async () => {
          if (keepRoles) return send(wanted);
          const view = await changes({ revision: saved.current?.revision ?? 0, changes: wanted.changes });
          saved.current = { revision: view.revision, roles: view.roles };
        })
        .catch((problem: unknown) => {
          setError(problem instanceof Error ? problem : new Error(String(problem)));
          saved.current = null;
          return cache.invalidateQueries({ queryKey: key });
        })
        .finally(() => {
          if (heavy) setRemaking(false);
          setUnsaved((n) => n - 1);
        });
    },
    [cache, caseId, send, changes],
  );
  return { save, error, remaking, saving: unsaved > 0 };
}
