import { Button, Flex, Text } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, read } from "../../api/client";
import type { Invitation, Person, Role } from "../../api/types";
import { care } from "../../api/watching";
import { Blank } from "../../ui/Blank";
import { Select } from "../../ui/Select";
import { Faults } from "../../ui/States";
import { Tick } from "../../ui/Tick";

const roles = ["consultant", "reader", "client", "owner"] as const;
const listed = (words: string) => words.split(/[\s,]+/).filter(Boolean);

/** Lets somebody in, or changes what somebody may. */
export function PersonForm({ of: p, done }: { of?: Person; done: (made: Invitation | undefined) => void }) {
  const [name, setName] = useState(p?.name ?? "");
  const [mail, setMail] = useState(p?.mail ?? "");
  const [role, setRole] = useState<Role>(p?.role ?? "consultant");
  const [everywhere, setEverywhere] = useState(p?.everywhere ?? false);
  const [lists, setLists] = useState(p?.lists ?? true);
  const [given, setGiven] = useState([...(p?.sites ?? []), ...(p?.groups ?? [])].join(" "));
  const all = useQuery(care()).data?.sites ?? [];
  const client = useQueryClient();
  const keep = useMutation({
    mutationFn: async (): Promise<Invitation | undefined> => {
      // A word that is the name of a group is the group; where it is that of a site, too, the site.
      const isGroup = (w: string) => all.some((s) => s.groups.includes(w)) && !all.some((s) => s.name === w);
      const words = everywhere ? [] : listed(given);
      const body = {
        name,
        mail,
        role,
        everywhere,
        lists,
        groups: words.filter(isGroup),
        sites: words.filter((w) => !isGroup(w)),
      };
      if (!p) return read(api.POST("/people", { body }));
      await read(api.PUT("/people/{person}", { params: { path: { person: p.id } }, body }));
      return undefined;
    },
    onSuccess: (made) => {
      if (!p) {
        setName("");
        setMail("");
      }
      done(made);
      return client.invalidateQueries({ queryKey: ["people"] });
    },
  });
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        keep.mutate();
      }}
    >
      <Flex gap="2" wrap="wrap" align="center">
        <Blank label="Name" hint="ash" value={name} set={setName} width="9rem" size="sm" />
        <Text>is</Text>
        <Select
          label="Role"
          width="8.5rem"
          value={role}
          options={roles.map((r) => [r, r] as const)}
          set={setRole}
        />
        {role !== "owner" && (
          <>
            <Text>at</Text>
            {!everywhere && (
              <Blank
                label="Sites and groups, with spaces between"
                hint={all[0]?.name ?? "fernhollow"}
                value={given}
                set={setGiven}
                width="14rem"
                size="sm"
              />
            )}
            <Tick label="all sites" on={everywhere} set={setEverywhere} />
          </>
        )}
        {role === "client" && <Tick label="sees fix lists" on={lists} set={setLists} />}
        <Blank
          label="Mail address"
          hint="ash@fernhollow.example"
          value={mail}
          set={setMail}
          width="14rem"
          size="sm"
        />
        <Button type="submit" size="sm" bg="accent" color="accent.text" loading={keep.isPending}>
          {p ? "Keep" : "Make a link"}
        </Button>
      </Flex>
      {p && (
        <Text fontSize="sm" color="fg.muted" mt="1">
          Who is changed signs in anew.
        </Text>
      )}
      <Faults error={keep.error} />
    </form>
  );
}
