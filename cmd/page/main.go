//go:build js && wasm

// Command page is the core as it runs in a browser: reels with edits ahead of the server. It puts one function, loomAsk, into the scope that it runs in,
// which takes a question as JSON and gives the answer (ahead.Reels.Ask).
package main

import (
	"runtime/debug"
	"syscall/js"

	"zestyloom/core/ahead"
)

func main() {
	debug.SetGCPercent(400) // a page has memory to spare, and a hand waits while it is tidied up
	reels := ahead.Reels{}
	js.Global().Set("loomAsk", js.FuncOf(func(_ js.Value, args []js.Value) any {
		return string(reels.Ask([]byte(args[0].String())))
	}))
	select {} // or the function would be gone
}
