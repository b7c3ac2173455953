package reel

// RandomCommand is for tests that look at reels from outside.
var RandomCommand = randomCommand
