import { Button, Code, Flex, Text } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { useLocation, useNavigate } from "react-router";
import { api, keepSession, read } from "../../api/client";
import { knowsPasskeys, signInByPasskey } from "../../lib/passkey";
import { goToProvider } from "../../lib/provider";
import { Blank } from "../../ui/Blank";
import { Refused } from "../../ui/States";
import { Threshold } from "./Threshold";

/** Signs in by name and password, or with the one-time link, whose secret stands behind the number sign. */
export function SignIn() {
  const link = useLocation().hash.slice(1);
  const [problem, setProblem] = useState("");
  const [answered, setAnswered] = useState("");
  const navigate = useNavigate();
  const client = useQueryClient();
  const tried = useRef("");
  const busy = link !== answered;
  const signedIn = useCallback(
    (key: string) => {
      keepSession(key);
      client.clear();
      navigate("/", { replace: true });
    },
    [client, navigate],
  );
  useEffect(() => {
    if (!link || tried.current === link) return;
    tried.current = link; // a link works once: never send it twice
    read(api.POST("/session", { body: { link } }))
      .then(({ key }) => signedIn(key))
      .catch((e: Error) => {
        setProblem(e.message);
        setAnswered(link);
      });
  }, [link, signedIn]);
  return (
    <Threshold>
      {busy ? (
        <Text role="status">Signing in …</Text>
      ) : (
        <>
          {problem && (
            <Text role="alert" color="severity.error" mb="3">
              {problem}
            </Text>
          )}
          <ByName done={signedIn} />
          <Text mt="8" mb="2" color="fg.muted">
            Or open the sign-in link that <Code bg="bg.muted">harvik start</Code> printed on its terminal. A
            link works once. For a new one, run:
          </Text>
          <Code bg="bg.muted" p="2" mb="4" display="block">
            harvik link
          </Code>
          <Button size="sm" variant="outline" onClick={() => navigate("/")}>
            I am signed in already
          </Button>
        </>
      )}
    </Threshold>
  );
}

function ByName({ done }: { done: (key: string) => void }) {
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  const sign = useMutation({
    mutationFn: () => read(api.POST("/session", { body: { name, password } })),
    onSuccess: ({ key }) => done(key),
  });
  const keyed = useMutation({ mutationFn: signInByPasskey, onSuccess: ({ key }) => done(key) });
  const provider = useQuery({
    queryKey: ["which-provider"],
    queryFn: () => read(api.GET("/session/provider")),
    retry: false,
  }).data?.name;
  const away = useMutation({ mutationFn: goToProvider });
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        sign.mutate();
      }}
    >
      <Flex gap="2" wrap="wrap" align="center">
        <Blank label="Name" hint="name" value={name} set={setName} width="10rem" size="sm" />
        <Blank
          label="Password"
          hint="password"
          type="password"
          value={password}
          set={setPassword}
          width="16rem"
          size="sm"
        />
        <Button type="submit" size="sm" bg="accent" color="accent.text" loading={sign.isPending}>
          Sign in
        </Button>
      </Flex>
      <Flex gap="2" mt="2" wrap="wrap">
        {provider && (
          <Button size="sm" variant="outline" loading={away.isPending} onClick={() => away.mutate()}>
            Sign in by {provider}
          </Button>
        )}
        {knowsPasskeys() && (
          <Button size="sm" variant="outline" loading={keyed.isPending} onClick={() => keyed.mutate()}>
            Sign in by a passkey
          </Button>
        )}
      </Flex>
      <Refused error={sign.error ?? keyed.error ?? away.error} mt="2" />
    </form>
  );
}
