// Package listen plays: blocks of PCM and meter readings over a WebSocket.
//
// In: messages that say what to play, from where and what to hear of it. Out: binary messages of stereo float32, text
// messages with meters, ends and errors; docs/listening.md is the protocol. Playing changes nothing. Begin reading at
// Server.
package listen
