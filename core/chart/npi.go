package chart

// SoundNPI says whether a National Provider Identifier has ten digits and the right check
// digit: the Luhn digit over 80840, the prefix of health in the United States, and the number
// (CMS, NPI check digit, 2004; ISO/IEC 7812).
func SoundNPI(npi string) bool {
	if len(npi) != 10 {
		return false
	}
	sum := 0
	for i, r := range "80840" + npi {
		if r < '0' || r > '9' {
			return false
		}
		d := int(r - '0')
		if i%2 == 1 { // counted from the right, every second of fifteen
			if d *= 2; d > 9 {
				d -= 9
			}
		}
		sum += d
	}
	return sum%10 == 0
}
