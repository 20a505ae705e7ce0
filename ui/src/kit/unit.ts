/** unit writes a UCUM unit as people read it. */
export function unit(u: string) {
  const known: Record<string, string> = {
    "mm[Hg]": "mmHg",
    Cel: "°C",
    "kg/m2": "kg/m²",
    "mL/min/{1.73_m2}": "mL/min/1.73 m²",
    "10*3/uL": "10³/µL",
    "10*6/uL": "10⁶/µL",
    "m[IU]/L": "mIU/L",
    "m[IU]/mL": "mIU/mL",
    "[IU]/mL": "IU/mL",
    "ug/mL{FEU}": "mcg/mL FEU",
    "[pH]": "",
    "{INR}": "",
    "{SG}": "",
    "{ratio}": "",
    "/[HPF]": "/HPF",
    "{copies}/mL": "copies/mL",
    "mg/(24.h)": "mg/24 h",
    "u[IU]/mL": "µIU/mL",
    "[GPL'U]": "GPL units",
    "[MPL'U]": "MPL units",
  };
  const plain = u.replace(/\bug\b/g, "mcg").replace(/\[iu\]/gi, "IU");
  return known[u] ?? plain.replace(/10[*^](\d+)/g, (_, n: string) => `10${[...n].map((d) => "⁰¹²³⁴⁵⁶⁷⁸⁹"[Number(d)]).join("")}`);
}
