// Package backup copies everything that a server keeps, as of one point, and puts it back.
//
// In: a database, a folder of media and uploads, and a folder for the copies. Out: the same on an empty machine. Files never change once
// they have their names, so a point is what the database had in one transaction and the files that its rows name. Begin reading at To
// and Restore.
package backup
