package contract

import "strings"

// SumWords is how a sum is said: that it holds, that it does not, and which rule it falls under.
type SumWords struct {
	Rule, Says, Denies string
}

// WordsOfSum gives the words for groups that add up to another, each by its name: alone, one is the same as the other where both
// have the same channels, else its fold-down.
func WordsOfSum(whole string, parts []string, sameChannels bool) SumWords {
	say := func(rule, a, is, isNot, b string) SumWords {
		return SumWords{rule, a + " " + is + " " + b, a + " " + isNot + " " + b}
	}
	switch all := strings.Join(parts, " + "); {
	case len(parts) > 1:
		return say("stems-sum-to-mix", all, "add up to", "do not add up to", whole)
	case sameChannels:
		return say("stems-sum-to-mix", whole, "is the same as", "is not the same as", all)
	default:
		return say("fold", whole, "is the fold-down of", "is not the fold-down of", all)
	}
}
