namespace Furlough.Planning.DeskNotices;

/// <summary>The sentences of a notice in one language. A further language is a further one of these.</summary>
/// <param name="Code">ISO 639-1.</param>
/// <param name="Title">What the notice is about.</param>
/// <param name="Moves">What happens; {0} folders, {1} machine, {2} size.</param>
/// <param name="MovesBack">What happens when something is returned; {0} folders, {1} machine, {2} size.</param>
/// <param name="Begins">When; {0} a time.</param>
/// <param name="BeginsIn">When; {0} a length of time.</param>
/// <param name="InHours">When, in allowed hours; {0} and {1} their ends.</param>
/// <param name="KeptOut">For how long; {0} likely, {1} at most.</param>
/// <param name="WorkMeanwhile">The same where people work during the copy.</param>
/// <param name="NotKeptOut">Nobody is locked out.</param>
/// <param name="Close">What to do before.</param>
/// <param name="ClosePrograms">The same with programs; {0} their names.</param>
/// <param name="Afterwards">What stays as it was.</param>
/// <param name="PutOff">What is chosen to put it off; {0} a length of time.</param>
/// <param name="WeekDays">From Sunday on.</param>
/// <param name="Point">Between the whole part of a number and its fraction.</param>
public sealed record DeskLanguage(
    string Code,
    string And,
    string Title,
    string Moves,
    string MovesBack,
    string Begins,
    string BeginsIn,
    string InHours,
    string KeptOut,
    string WorkMeanwhile,
    string NotKeptOut,
    string Close,
    string ClosePrograms,
    string Afterwards,
    string PutOff,
    string Days,
    IReadOnlyList<string> WeekDays,
    IReadOnlyList<string> Months,
    char Point
)
{
    /// <summary>English, and German.</summary>
    public static IReadOnlyList<DeskLanguage> All { get; } =
    [
        new(
            "en",
            "and",
            "Your folders",
            "Your {0} on {1} ({2}) will be moved to a roomier disk.",
            "Your {0} on {1} ({2}) will be moved back to the former disk.",
            "This begins on {0} or soon after.",
            "This begins in {0}, or as soon as you sign out.",
            "This is done between {0} and {1}, or in the hours allowed after that.",
            "You cannot sign in for about {0}, at most {1}.",
            "You can go on working while the copy is made; then you cannot sign in for about {0}, at most {1}.",
            "You can go on working.",
            "Before it begins, please save your work, close your programs and sign out.",
            "Before it begins, please save your work, close your programs (above all {0}) and sign out.",
            "Afterwards everything is where you are used to find it, and the former state is kept for some time.",
            "Not now, in {0}",
            "days",
            ["Sunday", "Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday"],
            [
                "January",
                "February",
                "March",
                "April",
                "May",
                "June",
                "July",
                "August",
                "September",
                "October",
                "November",
                "December",
            ],
            '.'
        ),
        new(
            "de",
            "und",
            "Ihre Ordner",
            "Ihre Ordner {0} auf {1} ({2}) ziehen auf eine größere Platte um.",
            "Ihre Ordner {0} auf {1} ({2}) ziehen auf die frühere Platte zurück.",
            "Das beginnt am {0} oder bald danach.",
            "Das beginnt in {0}, oder sobald Sie sich abmelden.",
            "Das geschieht zwischen {0} und {1} oder in den danach erlaubten Zeiten.",
            "Sie können sich etwa {0}, höchstens {1} lang nicht anmelden.",
            "Während kopiert wird, können Sie weiterarbeiten; danach können Sie sich etwa {0}, höchstens {1} lang nicht anmelden.",
            "Sie können weiterarbeiten.",
            "Bitte sichern Sie vorher Ihre Arbeit, schließen Sie Ihre Programme und melden Sie sich ab.",
            "Bitte sichern Sie vorher Ihre Arbeit, schließen Sie Ihre Programme (vor allem {0}) und melden Sie sich ab.",
            "Danach finden Sie alles wie gewohnt, und der frühere Stand wird noch eine Zeit lang aufbewahrt.",
            "Nicht jetzt, in {0}",
            "Tage",
            ["Sonntag", "Montag", "Dienstag", "Mittwoch", "Donnerstag", "Freitag", "Samstag"],
            [
                "Januar",
                "Februar",
                "März",
                "April",
                "Mai",
                "Juni",
                "Juli",
                "August",
                "September",
                "Oktober",
                "November",
                "Dezember",
            ],
            ','
        ),
    ];

    /// <summary>A language by its code; null for one that there is not.</summary>
    public static DeskLanguage? Find(string code) => All.FirstOrDefault(l => l.Code == code);
}
