import { Button, Text } from "@chakra-ui/react";
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { useLocation, useNavigate } from "react-router";
import { keepSession } from "../../api/client";
import { signInByProvider } from "../../lib/provider";
import { Threshold } from "./Threshold";

/** Where an identity provider sends browsers back to. */
export function Back() {
  const { search } = useLocation();
  const [problem, setProblem] = useState("");
  const navigate = useNavigate();
  const client = useQueryClient();
  const tried = useRef(false);
  useEffect(() => {
    if (tried.current) return;
    tried.current = true; // what was sent works once
    signInByProvider(new URLSearchParams(search)).then(
      ({ key }) => {
        keepSession(key);
        client.clear();
        navigate("/", { replace: true });
      },
      (e: Error) => setProblem(e.message),
    );
  }, [search, navigate, client]);
  return (
    <Threshold>
      {problem ? (
        <>
          <Text role="alert" color="severity.error" mb="4">
            {problem}
          </Text>
          <Button size="sm" variant="outline" onClick={() => navigate("/sign-in", { replace: true })}>
            Sign in
          </Button>
        </>
      ) : (
        <Text role="status">Signing in …</Text>
      )}
    </Threshold>
  );
}
