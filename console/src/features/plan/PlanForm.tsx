import { Box, Heading, SimpleGrid } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { profiles } from "../../api/queries";
import type { Plan } from "../../api/types";
import { Choice, Lines, NumberField, Switch, TextField } from "./fields";

interface Props {
  plan: Plan;
  set: (changes: Partial<Plan>) => void;
}

/** The settings that are changed most. All others are changed in the text beside it. */
export function PlanForm({ plan: p, set }: Props) {
  const known = useQuery(profiles());
  const agents = known.data?.agents ?? [];
  const scope = (changes: Partial<Plan["scope"]>) => set({ scope: { ...p.scope, ...changes } });
  const sources = (changes: Partial<Plan["sources"]>) => set({ sources: { ...p.sources, ...changes } });
  return (
    <Box>
      <Part title="Where addresses come from">
        <Switch
          label="Follow links from the home page"
          on={p.sources.links}
          set={(links) => sources({ links })}
        />
        <Switch label="Read the sitemaps" on={p.sources.sitemaps} set={(sitemaps) => sources({ sitemaps })} />
        <Lines
          label="A list of addresses"
          hint="one a line"
          value={p.sources.addresses}
          set={(addresses) => sources({ addresses })}
        />
      </Part>
      <Part title="How much">
        <NumberField label="Addresses at most" value={p.pages} set={(pages) => set({ pages })} />
        <NumberField label="Clicks deep at most" value={p.depth} set={(depth) => set({ depth })} />
        <Choice
          label="Which ones, if not all"
          value={p.selection}
          options={{ breadth: "nearest to the home page first", spread: "spread evenly over the site" }}
          set={(selection) => set({ selection })}
        />
        <TextField
          label="Time at most, such as 2h"
          value={p.time}
          set={(time) => set({ time: time || "0s" })}
        />
      </Part>
      <Part title="What of the site">
        <Lines
          label="Only these folders"
          hint="such as /plants/"
          value={p.scope.folders}
          set={(folders) => scope({ folders })}
        />
        <Lines
          label="Leave out"
          hint="patterns such as /cart* or re:[?&]sort="
          value={p.scope.exclude}
          set={(exclude) => scope({ exclude })}
        />
        <Lines
          label="Ignore query parameters"
          hint="such as utm_*"
          value={p.scope.parameters?.ignore}
          set={(ignore) => scope({ parameters: { ...p.scope.parameters, ignore } })}
        />
        <Choice
          label="What pages load"
          value={p.resources}
          options={{ all: "check all of it", inside: "check what lies inside the site", none: "leave it" }}
          set={(resources) => set({ resources })}
        />
        <Switch
          label="Check outbound links, gently"
          on={!!p.outbound}
          set={(outbound) => set({ outbound })}
        />
      </Part>
      <Part title="How fast">
        <NumberField label="Requests at once" value={p.parallel} set={(parallel) => set({ parallel })} />
        <TextField
          label="Pause between two, such as 200ms"
          value={p.pause}
          set={(pause) => set({ pause: pause || "0s" })}
        />
        <NumberField
          label="A second at most (0 is no ceiling)"
          value={p.perSecond ?? 0}
          set={(perSecond) => set({ perSecond })}
        />
        <TextField
          label="Time for one request"
          value={p.timeout}
          set={(timeout) => set({ timeout: timeout || "20s" })}
        />
      </Part>
      <Part title="Under which name">
        <TextField
          label="User agent, or a known name"
          value={p.agent}
          list={agents.map((a) => a.name)}
          set={(agent) => set({ agent })}
        />
        <TextField
          label="Follow the robots.txt rules for"
          value={p.robotsAs}
          set={(robotsAs) => set({ robotsAs })}
        />
        <Choice
          label="robots.txt is"
          value={p.robots}
          options={{
            obey: "obeyed",
            report: "obeyed, and what it shuts out is listed",
            disregard: "disregarded",
          }}
          set={(robots) => set({ robots })}
        />
        {p.robots === "disregard" && (
          <TextField
            label="Permission: why, and by whom"
            value={p.permission ?? ""}
            set={(permission) => set({ permission })}
          />
        )}
      </Part>
    </Box>
  );
}

function Part({ title, children }: { title: string; children: ReactNode }) {
  return (
    <Box as="fieldset" mb="5">
      <Heading as="h2" size="sm" mb="2" borderBottomWidth="1px" pb="1">
        {title}
      </Heading>
      <SimpleGrid columns={{ base: 1, sm: 2 }} gap="3" alignItems="start">
        {children}
      </SimpleGrid>
    </Box>
  );
}
