// Package report reads and writes sound reports, the lists that come with a recorder's card. Begin reading at Read.
package report
