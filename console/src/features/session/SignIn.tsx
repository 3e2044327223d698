import { Box, Button, Code, Heading, Text } from "@chakra-ui/react";
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { useNavigate } from "react-router";
import { call, keepSession } from "../../api/client";

/** Signs in with the one-time link, whose secret stands behind the number sign. */
export function SignIn() {
  const [problem, setProblem] = useState("");
  const [busy, setBusy] = useState(location.hash.length > 1);
  const navigate = useNavigate();
  const client = useQueryClient();
  const tried = useRef(false);
  useEffect(() => {
    const reload = () => location.reload(); // a link opened where this page already is
    addEventListener("hashchange", reload);
    return () => removeEventListener("hashchange", reload);
  }, []);
  useEffect(() => {
    const link = location.hash.slice(1);
    if (!link || tried.current) return;
    tried.current = true; // a link works once: never send it twice
    call<{ key: string }>("POST", "/session", { link })
      .then(({ key }) => {
        keepSession(key);
        client.clear();
        navigate("/", { replace: true });
      })
      .catch((e: Error) => {
        setProblem(e.message);
        setBusy(false);
      });
  }, [navigate, client]);
  return (
    <Box minH="100dvh" bg="bg" color="fg" p={{ base: "6", md: "16" }}>
      <Box maxW="34rem">
        <Heading color="accent" size="2xl" mb="4">
          Harvik
        </Heading>
        {busy ? (
          <Text role="status">Signing in …</Text>
        ) : (
          <>
            {problem && (
              <Text role="alert" color="severity.error" mb="3">
                {problem}
              </Text>
            )}
            <Text mb="3">
              Open the sign-in link that <Code bg="bg.muted">harvik start</Code> printed on its terminal. A
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
      </Box>
    </Box>
  );
}
