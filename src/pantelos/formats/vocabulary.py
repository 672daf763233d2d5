"""Words that recorders and people put above their numbers, in English, German, French, Spanish and Italian.

Keys are compared in small letters, without accents, marks and blanks of their own: `Fréquence d'échantillonnage` is
`frequence d echantillonnage`.
"""

import re
import unicodedata


def plain_words(key: str) -> str:
    """Return a key in small letters without accents, its words one blank apart."""
    letters = "".join(sign for sign in unicodedata.normalize("NFKD", key) if not unicodedata.combining(sign))
    return re.sub(r"[\W_]+", " ", letters.casefold()).strip()


def _phrases(text: str) -> frozenset[str]:
    return frozenset(part.strip() for part in text.split(",") if part.strip())


RATE = _phrases("""
    rate, fs, f s, fsample, samplerate, sample rate, sampling rate, scan rate, sample frequency, sampling frequency, sample freq,
    sampling freq, scan frequency, samplingrate, samplingfrequency, samples per second, samples s, acquisition rate, data rate,
    abtastrate, abtastfrequenz, messrate, samplingrate, aufzeichnungsrate, erfassungsrate,
    frequence d echantillonnage, taux d echantillonnage, frequence echantillonnage, frequence d acquisition,
    vitesse d echantillonnage, cadence d echantillonnage, echantillons par seconde,
    frecuencia de muestreo, tasa de muestreo, velocidad de muestreo, muestras por segundo, frecuencia de adquisicion,
    frequenza di campionamento, frequenza campionamento, velocita di campionamento, campioni al secondo
""")
INTERVAL = _phrases("""
    dt, ts, delta t, deltat, t step, interval, step, sample interval, sampling interval, scan interval, time interval,
    sample period, sampling period, scan period, sample time, time step, timestep, time increment, sample increment, x increment,
    abtastintervall, abtastzeit, abtastschritt, abtastperiode, messintervall, zeitschritt, zeitintervall,
    intervalle d echantillonnage, periode d echantillonnage, pas d echantillonnage, pas de temps, periode echantillonnage,
    intervalo de muestreo, periodo de muestreo, paso de tiempo, tiempo de muestreo,
    intervallo di campionamento, periodo di campionamento, passo temporale, tempo di campionamento
""")
LENGTH = _phrases("""
    duration, total time, total duration, total length, record time, record duration, recording time, recording duration,
    acquisition time, acquisition duration, acquisition length, measurement time, measurement duration, time span, record span,
    dauer, aufzeichnungsdauer, messdauer, messzeit, gesamtzeit, duree, duree totale, duree d acquisition, duree de mesure,
    duracion, duracion total, tiempo total, durata, durata totale
""")
COUNT = _phrases("""
    samples, points, rows, records, sample count, samples count, point count, points count, number of samples, number of points,
    number of rows, number of records, no of samples, no of points, total samples, total points, record length, n samples, npts,
    anzahl werte, anzahl messwerte, anzahl abtastwerte, anzahl punkte, messwerte, nombre d echantillons, nombre de points,
    numero de muestras, numero de puntos, numero di campioni, numero di punti
""")
TRIGGER = _phrases("trigger index, trigger sample, trigger position, trigger point, triggerindex, index de declenchement")
START = _phrases("""
    start, begin, began, begun, date, time, recorded, recorded at, trigger, started, start time, start date, date time, timestamp,
    beginn, anfang, startzeit, datum, uhrzeit, zeit, aufgezeichnet, debut, heure, inicio, fecha, hora, inizio, data, ora
""")
# The first word of the name of a column that holds times.
TIME = _phrases("""
    t, time, times, elapsed, timestamp, timestamps, datetime, date, when, clock, epoch, unix, posix, unixtime,
    zeit, zeitstempel, uhrzeit, datum, temps, heure, horodatage, tiempo, hora, fecha, tempo, ora, data ora
""")
# The first word of a line below the numbers that says something of all of them.
STATISTICS = _phrases("""
    mean, average, avg, min, minimum, max, maximum, rms, std, stdev, sigma, median, sum, total, count, mittelwert, mittel, summe,
    moyenne, somme, promedio, media, suma, somma
""")
DATE = _phrases("date, day, days, datum, tag, jour, fecha, dia, data, giorno")
INDEX = _phrases("""
    n, no, nr, index, idx, sample, samples, sample no, sample number, row, point, scan, record, count,
    nummer, messwert, echantillon, numero, muestra, campione
""")
NAMES = _phrases("""
    names, name, channels, channel names, channelnames, channel name, labels, signals, signal names, columns, column names,
    ch names, kanalnamen, kanale
""")
UNITS = _phrases(
    "units, unit, channel units, unit names, ch units, si unit, si units, einheit, einheiten, unite, unites, unidad, unidades"
)
# The first letters of the names of months, three or as many as tell them apart.
MONTHS = {
    beginning: month
    for month, names in enumerate(
        ("jan ene gen", "feb fev", "mar mrz", "apr avr abr", "may mai mag", "jun giu juin", "jul lug juil", "aug aou ago",
         "sep set", "oct okt ott", "nov", "dec dez dic"), start=1)
    for beginning in names.split()
}  # fmt: skip
