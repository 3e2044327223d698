import { Box } from "@chakra-ui/react";
import { autocompletion, type CompletionContext, completionKeymap } from "@codemirror/autocomplete";
import { defaultKeymap, history, historyKeymap } from "@codemirror/commands";
import { type Diagnostic, linter } from "@codemirror/lint";
import { Compartment, EditorState, Prec } from "@codemirror/state";
import { EditorView, keymap, placeholder } from "@codemirror/view";
import { useEffect, useRef } from "react";
import { api, read } from "../api/client";
import type { FactTable } from "../api/types";
import { nonce } from "../lib/nonce";

interface Props {
  table: FactTable;
  value: string;
  /** Called with what was typed once it is to be asked. */
  ask: (question: string) => void;
  label?: string;
}

const functions = [
  ["contains", 'words in it: title.contains("x")'],
  ["startsWith", "how words begin"],
  ["endsWith", "how words end"],
  ["matches", "a regular expression (RE2)"],
  ["lower()", "in small letters"],
  ["exists(x, )", "one of a list"],
];

/** Facts by their beginnings, and what can be done with them after a point. */
function completions(table: FactTable) {
  return (context: CompletionContext) => {
    const word = context.matchBefore(/[A-Za-z][A-Za-z0-9.]*/);
    if (!word || (word.from === word.to && !context.explicit)) return null;
    const options = table.facts.map((f) => ({
      label: f.name,
      detail: f.kind + (f.unit ? `, ${f.unit}` : ""),
      info: f.say + (f.none ? `; not known where ${f.none}` : ""),
      type: "variable",
    }));
    const point = word.text.lastIndexOf(".");
    if (point > 0 && table.facts.some((f) => f.name === word.text.slice(0, point) && f.kind === "words")) {
      return {
        from: word.from + point + 1,
        options: functions.map(([label = "", info = ""]) => ({ label, info, type: "function" })),
      };
    }
    options.push(
      { label: "known(", detail: "", info: "whether a fact is known", type: "function" },
      { label: "size(", detail: "", info: "how many characters or entries", type: "function" },
    );
    return { from: word.from, options, validFor: /^[A-Za-z0-9.]*$/ };
  };
}

/** Underlines what the service does not understand, with what to write instead. */
const faults = (of: string) =>
  linter(
    async (view): Promise<Diagnostic[]> => {
      const question = view.state.doc.toString();
      if (!question.trim()) return [];
      const reading = await read(api.GET("/question", { params: { query: { of, question } } }));
      return reading.faults.map((f) => {
        const line = view.state.doc.line(Math.min(Math.max(f.line ?? 1, 1), view.state.doc.lines));
        const from = Math.min(line.from + Math.max((f.column ?? 1) - 1, 0), line.to);
        const rest = /^[\w.]+/.exec(view.state.sliceDoc(from, line.to));
        return {
          from: Math.max(0, Math.min(from, view.state.doc.length - 1)),
          to: Math.min(from + (rest?.[0].length ?? 1), view.state.doc.length),
          severity: "error",
          message: f.reason,
        };
      });
    },
    { delay: 300 },
  );

/** The line in which a question is written: with completion, and mistakes underlined while one types. */
export function QuestionLine({ table, value, ask, label = "Question" }: Props) {
  const place = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView>(null);
  const latest = useRef(ask);
  latest.current = ask;
  const language = useRef(new Compartment());
  // biome-ignore lint/correctness/useExhaustiveDependencies: the editor is made once; changes are sent to it below
  useEffect(() => {
    if (!place.current) return;
    const send = () => {
      latest.current(view.current?.state.doc.toString().trim() ?? "");
      return true;
    };
    view.current = new EditorView({
      parent: place.current,
      state: EditorState.create({
        doc: value,
        extensions: [
          Prec.high(keymap.of([{ key: "Mod-Enter", run: send }])),
          keymap.of([...completionKeymap]),
          keymap.of([{ key: "Enter", run: send }, ...historyKeymap, ...defaultKeymap]),
          history(),
          EditorView.lineWrapping,
          EditorView.cspNonce.of(nonce()),
          EditorView.contentAttributes.of({ "aria-label": label, spellcheck: "false" }),
          placeholder("all rows; such as words < 100 && indexable"),
          language.current.of([]),
          EditorView.domEventHandlers({ blur: () => void send() }),
          EditorView.theme({
            "&": {
              fontSize: "14px",
              backgroundColor: "var(--chakra-colors-bg-panel)",
              color: "var(--chakra-colors-fg)",
            },
            "&.cm-focused": { outline: "2px solid var(--chakra-colors-accent)" },
            ".cm-content": { caretColor: "var(--chakra-colors-fg)", padding: "6px 0" },
            ".cm-cursor": { borderLeftColor: "var(--chakra-colors-fg)" },
            ".cm-placeholder": { color: "var(--chakra-colors-fg-muted)" },
            ".cm-tooltip": {
              backgroundColor: "var(--chakra-colors-bg-panel)",
              color: "var(--chakra-colors-fg)",
              border: "1px solid var(--chakra-colors-border)",
            },
            ".cm-tooltip-autocomplete ul li[aria-selected]": {
              backgroundColor: "var(--chakra-colors-accent-soft)",
              color: "var(--chakra-colors-fg)",
            },
            ".cm-diagnostic": { borderLeft: "3px solid var(--chakra-colors-severity-error)" },
          }),
        ],
      }),
    });
    return () => view.current?.destroy();
  }, []);
  useEffect(() => {
    view.current?.dispatch({
      effects: language.current.reconfigure([
        autocompletion({ override: [completions(table)], icons: false }),
        faults(table.name),
      ]),
    });
  }, [table]);
  useEffect(() => {
    const editor = view.current;
    if (editor && editor.state.doc.toString().trim() !== value) {
      editor.dispatch({ changes: { from: 0, to: editor.state.doc.length, insert: value } });
    }
  }, [value]);
  return <Box ref={place} borderWidth="1px" rounded="sm" minW="0" flex="1" data-question-line />;
}
