namespace Furlough.Planning.Briefs;

/// <summary>The commented brief that ships with the product.</summary>
public static class BriefSample
{
    /// <summary>Its text.</summary>
    public static string Text { get; } = Load("brief-sample.yaml");

    /// <summary>
    /// The JSON Schema of briefs, for editors. It knows words and spellings; what belongs together only the reader
    /// knows.
    /// </summary>
    public static string Schema { get; } = Load("brief.schema.json");

    private static string Load(string name)
    {
        using var stream = typeof(BriefSample).Assembly.GetManifestResourceStream(name)!;
        using var reader = new StreamReader(stream);
        return reader.ReadToEnd();
    }
}
