// Package convert resamples a whole take: to another sample rate, or to undo its drift. Begin reading at Write.
package convert
