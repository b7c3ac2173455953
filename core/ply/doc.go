// Package ply lays several files side by side into one of many channels. Begin reading at Plan.
package ply
