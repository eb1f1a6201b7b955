// Package units holds the quantities that Tachyphor reckons in and how people
// write them: durations, CPU, bytes, rates, money and prices. Every type reads
// and prints itself, so that no bare number has to guess its unit.
package units
