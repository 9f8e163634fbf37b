using System.Text;
using System.Text.Json;
using System.Text.Json.Nodes;
using Furlough.Planning.Reading;
using YamlDotNet.RepresentationModel;

namespace Furlough.Service.Settings;

/// <summary>Reads the settings file strictly, and writes what people need to write one.</summary>
public sealed class SettingsFile : StrictReader
{
    /// <summary>Where it is looked for.</summary>
    public const string Usual = "/etc/furlough/service.yaml";

    private const int LimitCharacters = 64 * 1024;

    private SettingsFile() { }

    /// <summary>What a file sets; a file of comments alone sets nothing.</summary>
    /// <exception cref="IOException">It cannot be read.</exception>
    /// <exception cref="SettingsException">Something is wrong with it.</exception>
    internal static Dictionary<string, SettingValue> Read(string file)
    {
        var text = File.ReadAllText(file);
        if (text.Split('\n').All(line => line.TrimStart() is "" or ['#', ..]))
            return [];
        var reader = new SettingsFile();
        Dictionary<string, SettingValue> values = [];
        if (
            reader.Root(text, LimitCharacters, "settings file", "a setting, such as `data: /var/lib/furlough`") is
            { } root
        )
            foreach (
                var (name, node) in reader.Keys(root, "the settings", [.. ServiceSettings.All.Select(s => s.Name)])
            )
                values[name] = new SettingValue(
                    reader.Text(node),
                    $"{file}, line {node.Start.Line}, column {node.Start.Column}"
                );
        return reader.Errors.Count == 0
            ? values
            : throw new SettingsException([.. reader.Errors.Select(e => $"{file}, {e}")]);
    }

    /// <summary>A commented file to start from, which sets nothing yet.</summary>
    public static string Sample
    {
        get
        {
            var text = new StringBuilder(
                "# Settings of the Furlough service. Each can also be given as an option of `furlough service start` (--NAME)\n"
                    + "# or as an environment variable (FURLOUGH_SERVICE_NAME); an option counts before a variable, and a variable\n"
                    + "# before this file. `furlough service check` reads them without starting anything.\n"
            );
            foreach (var setting in ServiceSettings.All)
                text.Append($"\n# {setting.About}.\n#{setting.Name}: {setting.Example}\n");
            return text.ToString();
        }
    }

    /// <summary>A JSON Schema of the file, for editors.</summary>
    public static string Schema
    {
        get
        {
            var settings = new JsonObject();
            foreach (var setting in ServiceSettings.All)
                settings[setting.Name] = new JsonObject
                {
                    ["description"] = setting.About,
                    ["type"] = setting.Form switch
                    {
                        SettingForm.Number => "integer",
                        SettingForm.YesNo => "boolean",
                        _ => "string",
                    },
                };
            return new JsonObject
                {
                    ["$schema"] = "https://json-schema.org/draft/2020-12/schema",
                    ["title"] = "Settings of the Furlough service",
                    ["type"] = "object",
                    ["additionalProperties"] = false,
                    ["properties"] = settings,
                }.ToJsonString(new JsonSerializerOptions { WriteIndented = true }) + "\n";
        }
    }
}
