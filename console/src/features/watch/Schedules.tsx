import { Button, Flex, Table, Text } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { useNavigate } from "react-router";
import { api, read } from "../../api/client";
import type { Schedule, Scheduled } from "../../api/types";
import { schedules } from "../../api/watching";
import { moment } from "../../lib/time";
import { Blank } from "../../ui/Blank";
import { May } from "../../ui/May";
import { Panel, Rows } from "../../ui/Panel";
import { Select } from "../../ui/Select";
import { Failed, Faults, Loading, Refused } from "../../ui/States";
import { Last } from "./WeekPage";

/** When the site is crawled by itself. */
export function Schedules({ site }: { site: string }) {
  const list = useQuery(schedules(site));
  if (list.isPending) return <Loading rows={2} />;
  if (list.isError) return <Failed error={list.error} retry={list.refetch} />;
  return (
    <Panel title="Crawled by itself">
      {list.data.schedules.length > 0 && (
        <Rows heads={["Schedule", "When", "Next", "Last", "Change"]}>
          {list.data.schedules.map((s) => (
            <Row key={s.name} of={s} />
          ))}
        </Rows>
      )}
      <May as="consultant">
        <Add site={site} />
      </May>
    </Panel>
  );
}

function useChanged() {
  const client = useQueryClient();
  return () => {
    client.invalidateQueries({ queryKey: ["schedules"] });
    client.invalidateQueries({ queryKey: ["care"] });
  };
}

function Row({ of: s }: { of: Scheduled }) {
  const onSuccess = useChanged();
  const navigate = useNavigate();
  const params = { path: { site: s.site, schedule: s.name } };
  const pause = useMutation({
    mutationFn: () =>
      read(
        api.PUT("/sites/{site}/schedules/{schedule}", {
          params,
          body: { ...s.schedule, paused: !s.schedule.paused },
        }),
      ),
    onSuccess,
  });
  const remove = useMutation({
    mutationFn: () => api.DELETE("/sites/{site}/schedules/{schedule}", { params }),
    onSuccess,
  });
  const run = useMutation({
    mutationFn: () => read(api.POST("/sites/{site}/schedules/{schedule}/run", { params })),
    onSuccess: (c) => navigate(`/sites/${s.site}/${c.number}`),
  });
  return (
    <Table.Row bg="bg.panel">
      <Table.Cell>{s.name}</Table.Cell>
      <Table.Cell>
        {s.words}
        {s.schedule.hours && `, only ${s.schedule.hours}`}
        {s.schedule.plan && (
          <Text fontSize="sm" color="fg.muted">
            with {s.schedule.plan.trim().split("\n").join(", ")}
          </Text>
        )}
      </Table.Cell>
      <Table.Cell whiteSpace="nowrap">{s.next ? moment(s.next) : "paused"}</Table.Cell>
      <Table.Cell>
        <Last of={s} />
      </Table.Cell>
      <Table.Cell whiteSpace="nowrap">
        <May as="consultant">
          <Button size="xs" variant="ghost" onClick={() => run.mutate()}>
            Begin now
          </Button>
          <Button size="xs" variant="ghost" onClick={() => pause.mutate()}>
            {s.schedule.paused ? "Resume" : "Pause"}
          </Button>
          <Button
            size="xs"
            variant="ghost"
            aria-label={`Remove the schedule ${s.name}`}
            onClick={() => remove.mutate()}
          >
            Remove
          </Button>
        </May>
        <Refused error={run.error ?? pause.error ?? remove.error} />
      </Table.Cell>
    </Table.Row>
  );
}

const often = [
  ["daily", "every day"],
  ["weekdays", "Monday to Friday"],
  ["mon", "every Monday"],
  ["monthly 1", "on the first of the month"],
  ["monthly last", "on the last of the month"],
] as const;

function Add({ site }: { site: string }) {
  const onSuccess = useChanged();
  const [days, setDays] = useState<(typeof often)[number][0]>("weekdays");
  const [time, setTime] = useState("03:00");
  const [hours, setHours] = useState("");
  const [name, setName] = useState("");
  const zone = Intl.DateTimeFormat().resolvedOptions().timeZone;
  const add = useMutation({
    mutationFn: (body: Schedule) =>
      read(
        api.PUT("/sites/{site}/schedules/{schedule}", {
          params: { path: { site, schedule: name || "usual" } },
          body,
        }),
      ),
    onSuccess,
  });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    add.mutate({ when: `${days} ${time}`, zone, hours, jitter: 20 });
  };
  return (
    <form onSubmit={submit}>
      <Flex gap="2" mt="3" wrap="wrap" align="center">
        <Text>Crawl it</Text>
        <Select label="How often" size="xs" width="13rem" value={days} options={often} set={setDays} />
        <Text>at</Text>
        <Blank label="Time of day" type="time" width="6.5rem" value={time} set={setTime} />
        <Text>({zone}), only in these hours</Text>
        <Blank
          label="Hours in which alone it runs"
          hint="22:00-06:00"
          width="8rem"
          value={hours}
          set={setHours}
        />
        <Text>as</Text>
        <Blank label="Name of the schedule" hint="usual" width="8rem" value={name} set={setName} />
        <Button type="submit" size="xs" bg="accent" color="accent.text" loading={add.isPending}>
          Set the schedule
        </Button>
      </Flex>
      <Faults error={add.error} />
    </form>
  );
}
