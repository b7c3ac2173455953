// Package unravel writes the parts of a take into files of their own, sample for sample, with what the take says of them.
// Begin reading at Write.
package unravel
