// Package gather finds which files are one take: recorded together, a bonded set, or one after another. Begin reading at
// Families.
package gather
