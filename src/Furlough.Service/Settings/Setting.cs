namespace Furlough.Service.Settings;

/// <summary>What the value of a setting looks like.</summary>
public enum SettingForm
{
    Text,
    Number,
    YesNo,
}

/// <summary>
/// One setting of the service. It has one name: in the settings file as it is, as an option of `service start` and as an
/// environment variable.
/// </summary>
/// <param name="About">What it is for, as a line of help.</param>
/// <param name="Example">A value, as the file has it.</param>
public sealed record Setting(string Name, SettingForm Form, string About, string Example)
{
    /// <summary>As an option of the command line.</summary>
    public string Option => $"--{Name}";

    /// <summary>As an environment variable.</summary>
    public string Variable => "FURLOUGH_SERVICE_" + Name.Replace('-', '_').ToUpperInvariant();
}

/// <summary>What a setting is set to, and where.</summary>
/// <param name="Where">The option, the variable, or the file with line and column.</param>
public sealed record SettingValue(string Text, string Where);

/// <summary>Settings that cannot be used.</summary>
public sealed class SettingsException(IReadOnlyList<string> errors)
    : Exception(string.Join(Environment.NewLine, errors))
{
    /// <summary>All that is wrong, each with its place.</summary>
    public IReadOnlyList<string> Errors { get; } = errors;
}
