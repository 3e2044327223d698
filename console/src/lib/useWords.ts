import { useQuery } from "@tanstack/react-query";
import { words } from "../api/queries";
import type { Word } from "../api/types";

const none = {
  severities: [],
  states: [],
  orders: [],
  endings: [],
  leftOut: [],
  steps: [],
  kinds: [],
  roles: [],
  forms: [],
  sheets: [],
  parts: [],
};

/** The words of the service; none until they are there. */
export const useWords = () => useQuery(words()).data ?? none;

/** What a name says; the name itself where there is no word for it. */
export const say = (list: Word[], name = "") => list.find((w) => w.name === name)?.says ?? name;

/** Words as options to choose from, with one for any of them first. */
export const choices = (list: Word[], any: string): [string, string][] => [
  ["", any],
  ...list.map((w): [string, string] => [w.name, w.says]),
];
