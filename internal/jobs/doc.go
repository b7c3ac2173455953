// Package jobs does long work: taking files in and printing. Work waits in a PostgreSQL-backed queue, so more workers
// are just more processes.
//
// In: what to import or print. Out: a store.Work that tells how far it is. Begin reading at Runner.
package jobs
