using System.Xml;
using System.Xml.Linq;
using Furlough.Engine;
using Furlough.Model;

namespace Furlough.Platform.Mac;

/// <summary>Property lists in XML, as the system's commands print them, whose texts stand there as they are.</summary>
internal static class PropertyList
{
    /// <summary>The value of a name in the outermost dictionary; null where it is not there.</summary>
    /// <exception cref="Fault"><c>settings-not-understood</c>: that is not a property list.</exception>
    internal static XElement? Find(string text, string name, string of)
    {
        try
        {
            using var reader = XmlReader.Create(
                new StringReader(text),
                new XmlReaderSettings { DtdProcessing = DtdProcessing.Ignore, XmlResolver = null }
            );
            var root = XDocument.Load(reader, LoadOptions.PreserveWhitespace).Root;
            if (
                root?.Name.LocalName == "plist"
                && root.Elements().SingleOrDefault() is { Name.LocalName: "dict" } dictionary
            )
                return dictionary
                    .Elements("key")
                    .FirstOrDefault(k => k.Value == name)
                    ?.ElementsAfterSelf()
                    .FirstOrDefault();
        }
        catch (XmlException)
        {
            // Said below.
        }
        throw new Fault(
            FaultKinds.SettingsNotUnderstood,
            $"What the system says of {of} is not a property list.",
            "Ask it manually; nothing was changed."
        );
    }
}
