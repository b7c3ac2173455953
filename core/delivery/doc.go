// Package delivery prints a reel as files after a delivery spec, and proves that they are right.
//
// In: a Spec (YAML, described by schema.json), a reel and an engine. Out: a Plan of the files and what is wrong with
// it, the files, and a Report that compares each of them, opened again, with the plan. Begin reading at Spec, NewPlan,
// Print and Verify.
package delivery
