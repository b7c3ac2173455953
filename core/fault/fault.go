// Package fault holds the errors that the rest of the program speaks in: values with a kind, a sentence that a
// person can act on, and the place where it went wrong. Begin reading at Error.
package fault

import (
	"errors"
	"fmt"
)

// Kind says what sort of thing went wrong; callers branch on it, people read the sentence.
type Kind string

const (
	NotFound    Kind = "not found"
	Stale       Kind = "stale"
	BadInput    Kind = "bad input"
	Unsupported Kind = "unsupported"
	Damaged     Kind = "damaged"
	NoSpace     Kind = "no space"
	Cancelled   Kind = "cancelled"
	Away        Kind = "away"   // what keeps the work did not answer, so that nobody knows whether it was done
	Loses       Kind = "loses"  // something would be lost that may be wanted; the caller may ask for it again, saying so
	Asks        Kind = "asks"   // it is probably not meant; the caller may ask for it again, saying so
	Met         Kind = "met"    // somebody has made something else of it since; the caller may ask for it again, saying so
	Unties      Kind = "unties" // it would put something out of sync; the caller may ask for it again, saying so
)

// Error is one failure. Offset is a byte offset in Place, or -1 where there is none.
type Error struct {
	Kind    Kind
	Message string // a whole sentence in plain words: what is wrong and what to do
	Place   string // file, chunk, command or field; may be empty
	Offset  int64
	Err     error // the cause, if any
}

func (e *Error) Error() string {
	s := e.Message
	if e.Place != "" {
		s = e.Place + ": " + s
	}
	if e.Offset >= 0 {
		s += fmt.Sprintf(" (at byte %d)", e.Offset)
	}
	if e.Err != nil {
		s += " [" + e.Err.Error() + "]"
	}
	return s
}

func (e *Error) Unwrap() error { return e.Err }

// New makes an error without a place.
func New(kind Kind, format string, args ...any) *Error {
	return &Error{Kind: kind, Message: fmt.Sprintf(format, args...), Offset: -1}
}

// At makes an error at a byte offset of a file.
func At(kind Kind, offset int64, format string, args ...any) *Error {
	return &Error{Kind: kind, Message: fmt.Sprintf(format, args...), Offset: offset}
}

// Wrap makes an error that keeps its cause.
func Wrap(kind Kind, cause error, format string, args ...any) *Error {
	return &Error{Kind: kind, Message: fmt.Sprintf(format, args...), Offset: -1, Err: cause}
}

// KindOf gives the kind of err, or "" where err has none.
func KindOf(err error) Kind {
	var e *Error
	if errors.As(err, &e) {
		return e.Kind
	}
	return ""
}

// Sentence gives the words to show to a person: the message and offset without internal causes.
func Sentence(err error) string {
	var e *Error
	if !errors.As(err, &e) {
		return err.Error()
	}
	shown := *e
	shown.Err = nil
	return shown.Error()
}
