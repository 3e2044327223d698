import { Button, Text } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useLocation, useNavigate } from "react-router";
import { api, keepSession, read } from "../../api/client";
import { Blank } from "../../ui/Blank";
import { Faults, Loading } from "../../ui/States";
import { Threshold } from "./Threshold";

/** Lets somebody choose a password by an invitation, whose secret stands behind the number sign. */
export function Welcome() {
  const link = useLocation().hash.slice(1);
  const [password, setPassword] = useState("");
  const navigate = useNavigate();
  const client = useQueryClient();
  const who = useQuery({
    queryKey: ["welcome", link],
    queryFn: () => read(api.POST("/welcome", { body: { link } })),
    retry: false,
    staleTime: Number.POSITIVE_INFINITY,
  });
  const choose = useMutation({
    mutationFn: () => read(api.POST("/welcome", { body: { link, password } })),
    onSuccess: ({ key }) => {
      if (key) keepSession(key);
      client.clear();
      navigate("/", { replace: true });
    },
  });
  return (
    <Threshold>
      {who.isPending ? (
        <Loading rows={2} />
      ) : who.isError ? (
        <Text role="alert" color="severity.error">
          {who.error.message}
        </Text>
      ) : (
        <form
          onSubmit={(e) => {
            e.preventDefault();
            choose.mutate();
          }}
        >
          <Text mb="3">
            {who.data.ready
              ? `${who.data.name}, choose a new password.`
              : `Welcome, ${who.data.name}. You are let in as ${who.data.role === "owner" ? "an" : "a"} ${who.data.role}; choose a password to sign in by.`}
          </Text>
          <Blank
            label="Password"
            hint="at least 15 characters"
            type="password"
            value={password}
            set={setPassword}
            width="20rem"
            size="sm"
          />
          <Text fontSize="sm" color="fg.muted" my="2">
            A few words that nobody else would put together are easily kept in mind. No digits or signs are
            asked for.
          </Text>
          <Faults error={choose.error} />
          <Button type="submit" size="sm" bg="accent" color="accent.text" mt="2" loading={choose.isPending}>
            Sign in
          </Button>
        </form>
      )}
    </Threshold>
  );
}
