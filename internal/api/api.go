// Package api is the service's API as openapi.yaml describes it: the types of what is sent and answered, and the calls,
// generated from there, so that service, client and console cannot mean different things.
package api

import _ "embed"

// Description is openapi.yaml.
//
//go:embed openapi.yaml
var Description []byte
