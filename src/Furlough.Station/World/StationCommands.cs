using System.Xml.Linq;
using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Station.World;

/// <summary>
/// A Heron desk's own commands, for its directory service and its programs' preferences: they take the arguments, print
/// the answers and refuse with the words of the system that it stands in for, as that system's manual pages say.
/// </summary>
public sealed class StationCommands(StationMachine machine) : ICommands
{
    private const string Home = "NFSHomeDirectory",
        Users = "/Users/";

    /// <summary>Where a stand-in keeps the preferences of a program, each with the name of its type.</summary>
    internal static string PreferencesOf(string account, string domain) => $"preferences of {account}/{domain}";

    /// <inheritdoc/>
    public CommandAnswer Run(string account, IReadOnlyList<string> command)
    {
        lock (machine.Lock)
        {
            return command.ToArray() switch
            {
                ["/usr/bin/dscl", "-plist", .. var rest] => AskDirectory(account, rest, asList: true),
                ["/usr/bin/dscl", .. var rest] => AskDirectory(account, rest, asList: false),
                ["/usr/bin/defaults", .. var rest] => AskPreferences(account, rest),
                _ => new CommandAnswer(127, "", $"{command[0]}: No such file or directory"),
            };
        }
    }

    /// <summary>Records are read by anybody and changed by the system alone.</summary>
    private CommandAnswer AskDirectory(string account, string[] arguments, bool asList)
    {
        if (arguments is not [".", var verb, var record, Home, .. var values])
            return new CommandAnswer(64, "", "usage: dscl [options] [datasource [command]]");
        var name = record.StartsWith(Users, StringComparison.Ordinal) ? record[Users.Length..] : "";
        if (machine.Spec.Accounts.All(a => a.Name != name))
            return Refused("eDSRecordNotFound", -14136);
        var home = machine.Setting(StationPointers.Accounts, name);
        switch (verb, values)
        {
            case ("-read", []):
                if (asList)
                    return Printed(
                        new XElement(
                            "dict",
                            new XElement("key", $"dsAttrTypeStandard:{Home}"),
                            new XElement("array", new XElement("string", home.Text))
                        )
                    );
                // A value with a space in it stands on a line of its own.
                return new CommandAnswer(0, $"{Home}:{(home.Text!.Contains(' ') ? "\n " : " ")}{home.Text}\n", "");
            case ("-change", [var former, var next]):
                if (account.Length > 0)
                    return Refused("eDSPermissionError", -14120);
                if (home.Text != former)
                    return Refused("eDSAttributeValueNotFound", -14137);
                machine.SetSetting(StationPointers.Accounts, name, home with { Text = next });
                return new CommandAnswer(0, "", "");
            default:
                return new CommandAnswer(64, "", "usage: dscl [options] [datasource [command]]");
        }

        CommandAnswer Refused(string word, int number) =>
            new(56, "", $"<main> attribute status: {word}\n<dscl_cmd> DS Error: {number} ({word})\n");
    }

    private CommandAnswer AskPreferences(string account, string[] arguments)
    {
        if (arguments is not [var verb, var domain, .. var rest])
            return new CommandAnswer(255, "", "Command line interface to a user's defaults.");
        var container = PreferencesOf(account, domain);
        var missing = new CommandAnswer(
            1,
            "",
            $"\nThe domain/default pair of ({domain}, {rest.FirstOrDefault()}) does not exist\n"
        );
        switch (verb, rest)
        {
            case ("export", ["-"]):
                return Printed(
                    new XElement(
                        "dict",
                        machine
                            .SettingsIn(container)
                            .OrderBy(s => s.Key, StringComparer.Ordinal)
                            .SelectMany(s =>
                                new[] { new XElement("key", s.Key), new XElement(s.Value.Type, s.Value.Text) }
                            )
                    )
                );
            case ("read", [var key]):
                return machine.Setting(container, key).Text is { } present
                    ? new CommandAnswer(0, present + "\n", "")
                    : missing;
            case ("write", [var key, "-string", var text]):
                machine.SetSetting(container, key, new PointerValue("string", text));
                return new CommandAnswer(0, "", "");
            case ("write", [var key, "-int", var number]):
                machine.SetSetting(container, key, new PointerValue("integer", number));
                return new CommandAnswer(0, "", "");
            case ("delete", [var key]):
                if (machine.Setting(container, key).Text is null)
                    return missing;
                machine.SetSetting(container, key, PointerValue.Absent);
                return new CommandAnswer(0, "", "");
            default:
                return new CommandAnswer(255, "", "Command line interface to a user's defaults.");
        }
    }

    private static CommandAnswer Printed(XElement value) =>
        new(
            0,
            new XDocument(
                new XDocumentType("plist", null, null, null),
                new XElement("plist", new XAttribute("version", "1.0"), value)
            ).ToString(SaveOptions.DisableFormatting) + "\n",
            ""
        );
}
