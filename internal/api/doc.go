// Package api answers the interface's requests after the contract in api/openapi.yaml, from which its types and routes
// are generated.
//
// In: HTTP requests from loopback or the configured hosts. Out: JSON, files, and problem documents (RFC 9457). Begin
// reading at New; the handlers stand in files named for what they are about.
package api
