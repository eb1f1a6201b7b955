package forecast

import "math"

// fewADay is how few jobs a day may have to tell how days differ.
const fewADay = 10

// spreads finds how far days are from the mean of their day of the week, once their week's level is taken
// off, beyond what chance makes of independent jobs; and adds what that mean is off by itself, as one of
// so few days.
func (q *Question) spreads() {
	weeks := q.from
	n := float64(len(weeks))
	counts := make([][7]float64, len(weeks))
	var byDay [7]float64
	all := 0.0
	for w, list := range weeks {
		for _, j := range list {
			counts[w][q.hourOf(j.at)/24]++
		}
		for d, c := range counts[w] {
			byDay[d] += c / n
			all += c / n
		}
	}
	squares, chance, free := 0.0, 0.0, 0.0
	for w := range weeks {
		level := sum(counts[w][:]) / all
		for d, c := range counts[w] {
			if level <= 0 || byDay[d] < fewADay {
				continue
			}
			usual := float64(byDay[d] * level)
			squares += float64((c-usual)*(c-usual)) / float64(usual*usual)
			chance += float64((n-1)/n*6/7) / usual // what is left of it once weeks and days are taken off
			free += (n - 1) / n * 6 / 7
		}
	}
	over := 0.0 // variance beyond chance, relative
	if free > 0 {
		over = max(0, (squares-chance)/free)
	}
	for d := range q.daySpread {
		if byDay[d] > 0 {
			q.daySpread[d] = min(mostOff, math.Sqrt(over+(over+1/byDay[d])/n))
		}
	}
}
