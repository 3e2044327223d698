import { Box, Button, Code, Heading, Text } from "@chakra-ui/react";
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { useLocation, useNavigate } from "react-router";
import { api, keepSession, read } from "../../api/client";

/** Signs in with the one-time link, whose secret stands behind the number sign. */
export function SignIn() {
  const link = useLocation().hash.slice(1);
  const [problem, setProblem] = useState("");
  const [answered, setAnswered] = useState("");
  const navigate = useNavigate();
  const client = useQueryClient();
  const tried = useRef("");
  const busy = link !== answered;
  useEffect(() => {
    if (!link || tried.current === link) return;
    tried.current = link; // a link works once: never send it twice
    read(api.POST("/session", { body: { link } }))
      .then(({ key }) => {
        keepSession(key);
        client.clear();
        navigate("/", { replace: true });
      })
      .catch((e: Error) => {
        setProblem(e.message);
        setAnswered(link);
      });
  }, [link, navigate, client]);
  return (
    <Box as="main" minH="100dvh" bg="bg" color="fg" p={{ base: "6", md: "16" }}>
      <Box maxW="34rem">
        <Heading as="h1" color="accent" size="2xl" mb="4">
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
