using Furlough.Protocol;

namespace Furlough.Cli.Commands;

/// <summary>Texts that commands are given as files.</summary>
internal static class InputText
{
    /// <summary>The text of a file, or of standard input for -.</summary>
    /// <param name="what">What it is, for messages.</param>
    /// <param name="sample">The command that prints one.</param>
    internal static string Read(string file, string what, string sample)
    {
        try
        {
            return file == "-" ? Console.In.ReadToEnd() : File.ReadAllText(file);
        }
        catch (Exception error) when (error is IOException or UnauthorizedAccessException)
        {
            throw new ServiceException(
                400,
                "file-unread",
                $"The {what} cannot be read: {error.Message}",
                $"Give the file of a {what}; `{sample}` prints one.",
                null,
                null
            );
        }
    }
}
