import { Box, Button, Flex, Heading, Link, Skeleton, Stack, Text } from "@chakra-ui/react";
import type { ReactNode } from "react";
import { Navigate, Link as RouterLink, useRouteError } from "react-router";
import { Problem } from "../api/client";

export function Loading({ rows = 6 }: { rows?: number }) {
  return (
    <Stack gap="2" p="4" role="status" aria-label="Loading">
      {Array.from({ length: rows }, (_, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: placeholders have no identity
        <Skeleton key={i} height="6" />
      ))}
    </Stack>
  );
}

export function Empty({ title, children }: { title: string; children?: ReactNode }) {
  return (
    <Box p="8" maxW="44rem">
      <Heading size="md" mb="2">
        {title}
      </Heading>
      <Box color="fg.muted">{children}</Box>
    </Box>
  );
}

/** What went wrong, and a way to try again. Who is not signed in is sent to sign in. */
export function Failed({ error, retry }: { error: unknown; retry?: () => void }) {
  if (error instanceof Problem && error.status === 401) return <Navigate to="/sign-in" replace />;
  return (
    <Box p="8" maxW="44rem" role="alert">
      <Heading as="h1" size="md" mb="2">
        This could not be shown
      </Heading>
      <Text mb="4">{error instanceof Error ? error.message : String(error)}</Text>
      <Flex gap="4" align="center">
        {retry && (
          <Button size="sm" variant="outline" onClick={retry}>
            Try again
          </Button>
        )}
        <Link asChild>
          <RouterLink to="/">All sites</RouterLink>
        </Link>
      </Flex>
    </Box>
  );
}

/** Why what was just asked for was not done, beside where it was asked; nothing where it was. */
export function Refused({ error, ...place }: { error: Error | null | undefined; mt?: string; mb?: string }) {
  if (!error) return null;
  return (
    <Box role="alert" color="severity.error" {...place}>
      {error.message}
    </Box>
  );
}

/** What is wrong with what was sent, each on a line; or else the refusal. */
export function Faults({ error }: { error: Error | null | undefined }) {
  const faults = error instanceof Problem ? error.faults : [];
  if (faults.length === 0) return <Refused error={error} mt="2" />;
  return (
    <>
      {faults.map((f) => (
        <Text key={f.field} color="severity.error" mt="1">
          {f.reason}
        </Text>
      ))}
    </>
  );
}

export function RouteProblem() {
  return <Failed error={useRouteError()} retry={() => location.reload()} />;
}

export function NotHere() {
  return (
    <Empty title="There is nothing at this address">
      <Link asChild>
        <RouterLink to="/">All sites</RouterLink>
      </Link>
    </Empty>
  );
}
