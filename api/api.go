// Package api holds the contract between the application and its interface, from which both sides' types are generated.
package api

import _ "embed"

// YAML is the contract.
//
//go:embed openapi.yaml
var YAML []byte
