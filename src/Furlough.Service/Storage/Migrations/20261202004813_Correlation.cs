using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Furlough.Service.Storage.Migrations
{
    /// <inheritdoc />
    public partial class Correlation : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<string>(
                name: "Correlation",
                table: "History",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "Correlation",
                table: "Dockets",
                type: "TEXT",
                nullable: true);
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropColumn(
                name: "Correlation",
                table: "History");

            migrationBuilder.DropColumn(
                name: "Correlation",
                table: "Dockets");
        }
    }
}
